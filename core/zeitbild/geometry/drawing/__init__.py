"""Vector drawings (SVG): read apart into filled regions in the order of painting, which solids and flat art are made of."""
