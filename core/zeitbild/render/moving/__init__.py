"""An open shutter: every sample at its own moment."""
