"""Rates, frame ranges, durations, timecode and cycles. Everything exact: integers and fractions."""

from zeitbild.timing.cycle import phase_of, turned_degrees
from zeitbild.timing.duration import Length, parse_length
from zeitbild.timing.frames import parse_frames, write_frames
from zeitbild.timing.rate import RATES, Rate, parse_rate
from zeitbild.timing.time import Time
from zeitbild.timing.timecode import frame_to_timecode, timecode_to_frame

__all__ = [
    "RATES",
    "Length",
    "Rate",
    "Time",
    "frame_to_timecode",
    "parse_frames",
    "parse_length",
    "parse_rate",
    "phase_of",
    "timecode_to_frame",
    "turned_degrees",
    "write_frames",
]
