"""Tests that drive the real interface in a browser."""
