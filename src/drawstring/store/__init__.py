"""What Drawstring remembers: typed models over PostgreSQL, and the services that change them."""
