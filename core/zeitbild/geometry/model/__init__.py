"""Models (glTF, OBJ, STL, PLY): read apart into plain parts and materials, which meshes and finishes are made of."""
