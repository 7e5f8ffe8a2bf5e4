"""Measurements of what people wait for, printed as a table; run with ``./zeitbild bench``."""
