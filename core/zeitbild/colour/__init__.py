"""Transfer functions between linear light and encoded values, and the colour of heat."""

from zeitbild.colour.blackbody import temperature_colour
from zeitbild.colour.srgb import decode, decode_hex, encode, encode_hex

__all__ = ["decode", "decode_hex", "encode", "encode_hex", "temperature_colour"]
