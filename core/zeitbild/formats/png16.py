"""PNG with 16 bits a channel."""

from zeitbild.formats._base import Format, formats
from zeitbild.formats._png import png_functions

_encode, _read_back = png_functions(16)
formats.register(
    Format(
        "png16",
        "PNG, 16 bits",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 16, "matte": 16, "depth": 16},
        _encode,
        _read_back,
        order=1,
    )
)
