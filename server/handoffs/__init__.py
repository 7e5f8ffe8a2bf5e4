"""Hand-offs: numbered, verified packages made from a finished run."""
