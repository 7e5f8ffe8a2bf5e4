"""PNG with 8 bits a channel."""

from zeitbild.formats._base import Format, by_frame, each_frame, formats
from zeitbild.formats._coding import DITHER, UNDER
from zeitbild.formats._png import png_functions

_encode, _read_back = png_functions(8)
formats.register(
    Format(
        "png8",
        "PNG, 8 bits",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8, "depth": 16, "data": 16},
        by_frame(_encode),
        each_frame(_read_back),
        options=(UNDER, DITHER),
        order=0,
    )
)
