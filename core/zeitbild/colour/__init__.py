"""Transfer functions between linear light and encoded values, and the colour of heat."""

from zeitbild.colour.blackbody import temperature_colour
from zeitbild.colour.srgb import decode, decode_hex, encode

__all__ = ["decode", "decode_hex", "encode", "temperature_colour"]
