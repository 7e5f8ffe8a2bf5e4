"""Sound of a shot: files out of reading processes -> samples placed to the very sample -> one mix, its waveform, its loud points."""

from zeitbild.sound.mixing import Sounding, mix, samples_in
from zeitbild.sound.plain import CHANNELS, MAX_SOUND_BYTES, RATE, Heard
from zeitbild.sound.wav import pcm

__all__ = ["CHANNELS", "MAX_SOUND_BYTES", "RATE", "Heard", "Sounding", "mix", "pcm", "samples_in"]
