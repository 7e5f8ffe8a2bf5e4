"""Where frames come from: whatever is delivered or looked at has a key and a picture at each of its frames.

A rendered layer is the first kind; footage and stacks of sources follow. What writes files takes sources and knows no store.
"""

from zeitbild.sources._base import Source
from zeitbild.sources.rendered import Masters, RenderedLayer, rendered_layers

__all__ = ["Masters", "RenderedLayer", "Source", "rendered_layers"]
