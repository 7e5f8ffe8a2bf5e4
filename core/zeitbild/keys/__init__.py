"""Values that move: keys at frames, ways between them, what is before and after them, waves over the range."""

from zeitbild.keys.moving import Movers, Moving
from zeitbild.keys.track import MOST_KEYS, Key, Track, Wave

__all__ = ["MOST_KEYS", "Key", "Movers", "Moving", "Track", "Wave"]
