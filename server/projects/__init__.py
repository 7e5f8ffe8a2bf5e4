"""Projects and who works on them."""
