"""What happens to a whole installation when its parts are killed, many come at once, or files are made to do harm."""
