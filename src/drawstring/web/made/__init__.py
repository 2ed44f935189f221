"""How a shot's picture is made: stage by stage."""
