"""Documents of drawings and what they look like, for tests of what is read of them."""

import io

import numpy as np
import resvg_py
import shapely
from numpy.typing import NDArray
from PIL import Image

from zeitbild.geometry.drawing.inlaid import InlaidPicture
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


def colours_at(
    found: Drawing, places: NDArray[np.float64], within: float = 0.0
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Premultiplied encoded colours and alpha [..., 4] of what was read at places [..., 2] (y down), and which of these lie in a region, at least
    ``within`` units from its edge; elsewhere nothing is."""
    own = np.zeros((*places.shape[:-1], 4))
    inside_any = np.zeros(places.shape[:-1], bool)
    for region in found.regions(0.002):
        outline, shade = region.outline, region.shade
        whole = shapely.Polygon()
        for loop in outline.loops():
            ring = shapely.Polygon((loop * outline.step + outline.origin) * (1, -1))
            whole = whole.symmetric_difference(ring.buffer(0))
        there = shapely.contains_xy(whole.buffer(-within), places[..., 0], places[..., 1])
        if shade.painting or shade.inlay >= 0:
            inlaid = shade.inlay >= 0 and InlaidPicture.of(found.inlays[shade.inlay], 100.0, "it")
            colours = (inlaid or found.painting(shade.painting)).at(places).copy()
            if not shade.cut:
                colours[..., 3] = 1.0
        else:
            values = [int(shade.colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
            colours = np.broadcast_to(np.array([*values, 1.0]), own.shape).copy()
        colours[..., 3] *= shade.alpha
        own[there] = colours[there]
        inside_any |= there
    own[..., :3] *= own[..., 3:]
    return own, inside_any


def places_off(inner: str, *, within: float = 0.5) -> tuple[Drawing, NDArray[np.float64]]:
    """What is read of a document of 100 x 100, and how far (0 to 255, the worst of premultiplied colours and alpha) it is off the independent
    rasteriser's [n] in each of 400 x 400 places that lie well inside a region, ``within`` units from its edge."""
    found, size = drawing(inner), 400
    true = pixels(document('viewBox="0 0 100 100"', inner), size, size)
    axis = (np.arange(size) + 0.5) * 100 / size
    own, inside_any = colours_at(found, np.stack(np.meshgrid(axis, axis), axis=-1), within)
    return found, np.abs(own * 255 - true)[inside_any].max(axis=-1)
