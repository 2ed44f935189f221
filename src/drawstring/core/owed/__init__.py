"""The show list: the pieces that a show owes, read from tables and timelines, held against what came."""
