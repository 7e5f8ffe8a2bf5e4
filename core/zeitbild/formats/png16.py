"""PNG with 16 bits a channel."""

from zeitbild.formats._base import Format, by_frame, each_frame, formats
from zeitbild.formats._coding import UNDER
from zeitbild.formats._png import png_functions

_encode, _read_back = png_functions(16)
formats.register(
    Format(
        "png16",
        "PNG, 16 bits",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 16, "light": 16, "coverage": 16, "depth": 16, "data": 16},
        by_frame(_encode),
        each_frame(_read_back),
        options=(UNDER,),
        order=1,
    )
)
