"""What surfaces make of light: metal and rough, coats, tones, textures, many at once."""
