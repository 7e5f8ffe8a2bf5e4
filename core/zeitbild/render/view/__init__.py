"""What becomes of a picture as a whole: what is behind it, and the pixel look."""
