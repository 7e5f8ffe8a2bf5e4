"""Room on the disk: what would not fit is refused before, what is in use is told, what may go is cleaned up."""
