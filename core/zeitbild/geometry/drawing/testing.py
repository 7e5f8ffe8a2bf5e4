"""Documents of drawings and what they look like, for tests of what is read of them."""

import io

import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image

from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.isolation.marking import inside

_HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
_read = inside(read_drawing)


def document(root: str, inner: str) -> str:
    """A document with those attributes of its root element and that in it."""
    return f"{_HEAD}{root}>{inner}</svg>"


def drawing(inner: str, root: str = 'viewBox="0 0 100 100"') -> Drawing:
    """What is read of such a document."""
    return Drawing(_read(document(root, inner).encode(), "x.svg"), "x.svg")


def pixels(text: str, width: int, height: int) -> NDArray[np.float64]:
    """Premultiplied picture [H, W, 4] from 0 to 255 by an independent rasteriser."""
    data = bytes(resvg_py.svg_to_bytes(svg_string=text, width=width, height=height, dpi=96))
    found = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"), np.float64)
    found[..., :3] *= found[..., 3:] / 255
    return found


def painted(found: Drawing, root: str) -> str:
    """What was read, as a document of plain paths that lie beside one another."""
    parts = []
    for region in found.regions(0.002):
        outline = region.outline
        loops = [(loop * outline.step + outline.origin) * (1, -1) for loop in outline.loops()]
        data = "".join("M" + " ".join(f"{x:.6f},{y:.6f}" for x, y in loop) + "Z" for loop in loops)
        parts.append(f'<path d="{data}" fill="{region.shade.colour}" fill-opacity="{region.shade.alpha}"/>')
    return document(root, "".join(parts))
