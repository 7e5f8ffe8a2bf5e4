"""Cut-out puppets: the parts of a drawing, how they hang together, how they bend, and where they are in a pose."""
