"""Uploaded fonts."""
