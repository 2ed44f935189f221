"""Two eyes and all-round pictures: taken apart, compared, made, mixed, turned."""
