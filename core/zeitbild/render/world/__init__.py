"""The set in the world: meshes gathered, made ready for rays, textures and working memory."""
