"""What elements and their finishes are called."""

#: Of each element its identity, its name, and of each of its finishes what documents call it and its title.
Names = tuple[tuple[str, str, tuple[tuple[str, str], ...]], ...]
