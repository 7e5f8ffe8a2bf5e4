"""PNG with 8 bits a channel."""

from zeitbild.formats._base import Format, formats
from zeitbild.formats._png import png_functions

_encode, _read_back = png_functions(8)
formats.register(
    Format(
        "png8",
        "PNG, 8 bits",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "matte": 8, "depth": 16},
        _encode,
        _read_back,
        order=0,
    )
)
