"""What is told of the surface that gives most to a pixel: columns of ``Picture.data``.

None of it is averaged: an edge pixel holds the numbers of one surface, never something between two.
"""

#: The share of the pixel that this surface gives, 0 where nothing stands; then everything else is 0 too.
SHARE = 0
#: Unit normals in the world, and to the right, up and towards the camera.
NORMAL, CAMERA_NORMAL = 1, 4
#: Units of the world; pixels to the right and down until the next frame.
POSITION, MOTION = 7, 10
#: Where in the box round its element, 0 to 1: across, up and through it.
TEXTURE = 12
DATA = 15
