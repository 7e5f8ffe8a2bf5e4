"""TIFF with 8 or 16 bits a channel, or with floats."""

from functools import partial

from zeitbild.formats._base import Format, Option, by_frame, each_frame, formats
from zeitbild.formats._coding import ALPHA, DITHER, TRANSFER, UNDER
from zeitbild.formats._tiff import COMPRESSION, encode_float_tiff, encode_tiff, read_back_float_tiff, read_back_tiff

for _bits in (8, 16):
    formats.register(
        Format(
            f"tiff{_bits}",
            f"TIFF, {_bits} bits",
            "tif",
            "straight",
            "sRGB (IEC 61966-2-1)",
            {"colour": _bits, "light": _bits, "coverage": _bits, "depth": 16, "data": 16},
            by_frame(partial(encode_tiff, bits=_bits)),
            each_frame(partial(read_back_tiff, bits=_bits)),
            order=10 + _bits,
            options=(ALPHA, TRANSFER, UNDER, *((DITHER,) if _bits == 8 else ()), COMPRESSION),
        )
    )
formats.register(
    Format(
        "tiff-float",
        "TIFF, floats",
        "tif",
        "premultiplied",
        "linear light, Rec. 709 primaries",
        {"colour": 16, "light": 16, "coverage": 16, "depth": 32, "data": 32},
        by_frame(encode_float_tiff),
        each_frame(read_back_float_tiff),
        order=40,
        ends_at_white=False,
        options=(
            Option("numbers", "Light and coverage", (("half", "Half floats"), ("float", "32-bit floats"))),
            COMPRESSION,
        ),
    )
)
