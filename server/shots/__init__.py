"""Shots and the revisions of their documents."""
