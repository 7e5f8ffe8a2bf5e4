"""What each sample of each pixel sees: triangles, tiles, exact edges, fragments, and what lies over what."""
