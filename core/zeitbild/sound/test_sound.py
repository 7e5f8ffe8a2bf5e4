"""Sound against another library (libsndfile), and against what it was made of."""

import io
import tempfile
import unittest
import wave
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile
from av.audio.frame import AudioFrame

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.document.sounds import Sound
from zeitbild.errors import DocumentError, InputError, SoundError
from zeitbild.handoff.sound import write_sound
from zeitbild.keys.measure import fields_of
from zeitbild.resolve.sounds import soundings
from zeitbild.sound import RATE, Sounding, mix, samples_in
from zeitbild.sound.marks import levels_of, loud_points, pauses
from zeitbild.sound.mixing import heard, waveform
from zeitbild.sound.reading import samples_of
from zeitbild.sound.wav import wav_bytes
from zeitbild.testing import NOWHERE
from zeitbild.tones import SHIPPED

_NOISE = np.random.default_rng(11).uniform(-0.7, 0.7, (RATE * 2, 2)).astype(np.float32)


def _encoded(path: Path, codec: str, samples: np.ndarray, rate: int = RATE, **options: str) -> None:  # type: ignore[type-arg]
    with av.open(str(path), "w") as file:
        stream = file.add_stream(codec, rate=rate, options=options)
        stream.layout = "stereo"
        form = stream.format.name  # type: ignore[union-attr]
        sampler = av.AudioResampler(format=form, layout="stereo", rate=rate)
        size = stream.frame_size or 1024  # type: ignore[union-attr]
        for at in range(0, len(samples), size):
            frame = AudioFrame.from_ndarray(
                np.ascontiguousarray(samples[at : at + size].T), format="fltp", layout="stereo"
            )
            frame.rate, frame.pts = rate, at
            frame.time_base = Fraction(1, rate)
            for one in sampler.resample(frame):
                file.mux(stream.encode(one))
        for one in sampler.resample(None):
            file.mux(stream.encode(one))
        file.mux(stream.encode(None))


class WithFolder(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def wav(self, samples: np.ndarray, rate: int = RATE, name: str = "a.wav", subtype: str = "FLOAT") -> Path:  # type: ignore[type-arg]
        path = self.folder / name
        soundfile.write(path, samples, rate, subtype=subtype)
        return path


class Reading(WithFolder):
    def test_files_without_loss_are_what_libsndfile_reads(self) -> None:
        for name, subtype, step in (
            ("a.wav", "PCM_16", 2**-15),
            ("b.wav", "PCM_24", 2**-23),
            ("c.wav", "FLOAT", 0.0),
            ("d.wav", "PCM_U8", 2**-7),
            ("e.flac", "PCM_16", 2**-15),
            ("f.flac", "PCM_24", 2**-23),
            ("g.aiff", "PCM_16", 2**-15),
            ("h.aiff", "PCM_24", 2**-23),
            ("i.aiff", "FLOAT", 0.0),
            ("j.caf", "PCM_16", 2**-15),
        ):
            path = self.wav(_NOISE, name=name, subtype=subtype)
            with self.subTest(name, subtype=subtype):
                theirs, rate = soundfile.read(path, dtype="float32", always_2d=True)
                ours = samples_of(str(path), name, 0, len(_NOISE) + 100)
                self.assertEqual((rate, ours.shape), (RATE, theirs.shape))
                np.testing.assert_allclose(ours, theirs, atol=max(step / 100, 1e-7))
                np.testing.assert_array_equal(samples_of(str(path), name, 70_001, 555), ours[70_001:70_556])

    def test_one_channel_is_heard_on_both_sides_and_six_become_two(self) -> None:
        path = self.wav(_NOISE[:, 0])
        found = samples_of(str(path), "mono", 0, len(_NOISE))
        np.testing.assert_allclose(found, np.stack([_NOISE[:, 0]] * 2, axis=1), atol=1e-6)
        six = self.wav(np.tile(_NOISE[:, :1], (1, 6)), name="six.wav")
        self.assertEqual(samples_of(str(six), "six", 0, 10**6).shape, _NOISE.shape)
        self.assertEqual(heard(six, "six").channels, 6)

    def test_other_rates_keep_length_and_place(self) -> None:
        for rate in (8_000, 22_050, 44_100, 96_000):
            time = np.arange(rate) / rate
            # A short tone about 0.6 s.
            tone = np.sin(2 * np.pi * 440 * time) * np.exp(-(((time - 0.6) / 0.02) ** 2))
            path = self.wav(tone.astype(np.float32), rate, f"{rate}.wav")
            found = samples_of(str(path), "tone", 0, 2 * RATE)
            self.assertAlmostEqual(len(found), RATE, delta=2)
            ours = np.arange(len(found)) / RATE
            expected = np.sin(2 * np.pi * 440 * ours) * np.exp(-(((ours - 0.6) / 0.02) ** 2))
            np.testing.assert_allclose(found[:, 0], expected, atol=2e-3)

    def test_files_with_loss_have_their_clicks_in_place(self) -> None:
        quiet = np.zeros((RATE * 2, 2), np.float32)
        for at in (30_000, 60_000):
            quiet[at : at + 240] = np.hanning(240)[:, None] * 0.9
        for name, codec in (
            ("a.mp3", "libmp3lame"),
            ("a.ogg", ""),
            ("a.opus", "OPUS"),
            ("a.m4a", "aac"),
            ("b.flac", "flac"),
        ):
            path = self.folder / name
            if codec == "OPUS":
                soundfile.write(path, quiet, RATE, format="OGG", subtype="OPUS")
            elif codec:
                _encoded(path, codec, quiet)
            else:
                soundfile.write(path, quiet, RATE)
            found = samples_of(str(path), name, 0, 3 * RATE)[:, 0]
            with self.subTest(name):
                for at in (30_000, 60_000):
                    near = np.abs(found[at - 2000 : at + 2240])
                    middle = float((near**2 * np.arange(len(near))).sum() / (near**2).sum()) - 2000
                    # Half a frame of picture at 24 a second is 1000 samples.
                    self.assertAlmostEqual(middle, 120, delta=60)
                self.assertAlmostEqual(len(found), 2 * RATE, delta=2500)


class Hostile(WithFolder):
    def test_what_is_no_sound_is_refused_with_a_sentence(self) -> None:
        good = io.BytesIO()
        soundfile.write(good, _NOISE[:4000], RATE, format="WAV", subtype="PCM_16")
        whole = good.getvalue()
        cases = {
            "empty": b"",
            "text": b"This is no sound at all, but a text.",
            "head": whole[:44],
            "riff": b"RIFF\xff\xff\xff\x7fWAVEfmt " + b"\xff" * 40,
            "flac": b"fLaC" + b"\x00" * 200,
            "aiff": b"FORM\0\0\1\0AIFFCOMM" + b"\xff" * 100,
            "caf": b"caff\0\1\0\0" + b"\xff" * 100,
            "ogg": b"OggS" + bytes(range(256)),
            "mp3": b"ID3\x04" + b"\xff" * 3000,
            "list": b"ffconcat version 1.0\nfile /etc/passwd\n",
            "playlist": b"#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n",
        }
        for name, data in cases.items():
            path = self.folder / name
            path.write_bytes(data)
            with self.subTest(name), self.assertRaises(SoundError) as caught:
                heard(path, f"the file {name}")
            self.assertIn(f"the file {name}", str(caught.exception))

    def test_what_is_cut_off_is_heard_up_to_there_or_refused(self) -> None:
        for name, subtype in (("a.wav", "PCM_16"), ("a.flac", "PCM_16"), ("a.ogg", "VORBIS"), ("a.aiff", "PCM_16")):
            whole = self.wav(_NOISE, name=name, subtype=subtype).read_bytes()
            for part in range(10):
                path = self.folder / f"{part}{name}"
                path.write_bytes(whole[: len(whole) * part // 10])
                with self.subTest(name, part=part):
                    try:
                        found = heard(path, "cut off")
                    except InputError:
                        continue
                    self.assertLessEqual(found.seconds, 2.01)
                    self.assertTrue(np.isfinite(found.lows).all())

    def test_samples_that_are_no_numbers_do_not_spread(self) -> None:
        broken = _NOISE[:5000].copy()
        broken[100:200] = np.nan
        broken[300] = np.inf
        found = samples_of(str(self.wav(broken)), "broken", 0, 5000)
        self.assertTrue(np.isfinite(found).all())
        np.testing.assert_allclose(found[1000:], broken[1000:], atol=1e-7)


class Mixing(WithFolder):
    def test_every_sound_is_placed_to_the_sample(self) -> None:
        path = self.wav(_NOISE)
        for rate in (Fraction(24), Fraction(24_000, 1001), Fraction(30_000, 1001), Fraction(60)):
            for frame in (0, 1, 7, 100):
                begins = frame / rate
                at = round(float(begins * RATE))
                found = mix([Sounding(path, "a", begins)], 0, at + 500)
                self.assertTrue((found[:at] == 0).all())
                np.testing.assert_allclose(found[at : at + 500], _NOISE[:500], atol=1e-7)

    def test_trim_volume_and_fades(self) -> None:
        path = self.wav(np.ones((RATE * 2, 2), np.float32) * 0.5)
        one = Sounding(path, "a", Fraction(1), skip=0.25, length=1.0, volume=0.5, fade_in=0.2, fade_out=0.5)
        found = mix([one], 0, 3 * RATE)[:, 0]
        self.assertTrue((found[:RATE] == 0).all())
        self.assertTrue((found[2 * RATE :] == 0).all())
        # Even ramps to and from a quarter.
        self.assertAlmostEqual(float(found[RATE + RATE // 10]), 0.125, delta=1e-4)
        self.assertAlmostEqual(float(found[RATE + RATE // 2]), 0.25, delta=2e-5)
        self.assertAlmostEqual(float(found[RATE + 3 * RATE // 4]), 0.125, delta=1e-4)
        late = Sounding(path, "a", Fraction(0), skip=1.5)
        self.assertEqual(int((mix([late], 0, 2 * RATE)[:, 0] != 0).sum()), RATE // 2)
        none = Sounding(path, "a", Fraction(0), skip=5.0)
        self.assertEqual(float(np.abs(mix([none], 0, RATE)).max()), 0)

    def test_a_mix_is_the_sum_and_the_same_in_parts(self) -> None:
        path = self.wav(_NOISE)
        both = [Sounding(path, "a", Fraction(-1, 3)), Sounding(path, "b", Fraction(1, 7), volume=0.3)]
        whole = mix(both, 0, 2 * RATE)
        np.testing.assert_allclose(whole, mix(both[:1], 0, 2 * RATE) + mix(both[1:], 0, 2 * RATE), atol=1e-7)
        parts = np.concatenate([mix(both, at, 9_600) for at in range(0, 2 * RATE, 9_600)])
        np.testing.assert_array_equal(whole, parts)

    def test_long_files_are_read_in_parts(self) -> None:
        long = np.tile(_NOISE, (26, 1))
        path = self.wav(long, subtype="PCM_16")
        at = 20 * RATE - 300
        found = mix([Sounding(path, "a")], at, 600)
        np.testing.assert_allclose(found, long[at : at + 600], atol=2**-15)

    def test_waveforms_hold_what_is_heard(self) -> None:
        path = self.wav(_NOISE)
        one = Sounding(path, "a", Fraction(1, 2), volume=0.5)
        ends = waveform(one, Fraction(0), Fraction(1, 24), 72)
        self.assertTrue((ends[:12] == 0).all())
        self.assertTrue((ends[61:] == 0).all())
        for at in range(14, 58):
            own = mix([one], at * RATE // 24, RATE // 24)
            # A hundredth of a second is the finest that is kept.
            self.assertLessEqual(ends[at, 0], own.min() + 1e-6)
            self.assertGreaterEqual(ends[at, 1], own.max() - 1e-6)


class Marks(unittest.TestCase):
    def test_beats_and_pauses_where_they_were_put(self) -> None:
        random = np.random.default_rng(3)
        level = np.full(1000, -60.0)
        beats = [50, 200, 260, 700]
        for at in beats:
            level[at : at + 30] = -6 - np.arange(30)
        level += random.uniform(-1, 1, 1000)
        self.assertEqual(loud_points(level), tuple(at / 100 for at in beats))
        self.assertEqual(pauses(level)[0], (0.0, 0.5))
        self.assertEqual(pauses(np.full(100, -120.0))[0], (0.0, 1.0))
        self.assertEqual(loud_points(np.full(100, -120.0)), ())
        self.assertEqual(loud_points(levels_of(np.empty(0, np.float32), np.empty(0, np.float32))), ())

    def test_the_foghorn_blows_twice(self) -> None:
        found = heard(SHIPPED["foghorn"].path, "Foghorn")
        self.assertEqual(found.loud, (0.5, 4.0))
        self.assertEqual((found.seconds, found.channels, found.rate), (8.0, 1, 32_000))


class InAShot(WithFolder):
    def test_a_file_beside_the_pictures_is_exactly_as_long_as_they_are(self) -> None:
        shot = read_shot(
            {
                "version": 3,
                "timing": {"first": 11, "last": 40, "rate": "30000/1001"},
                "sounds": [{"id": "horn", "file": "foghorn", "begins": 21, "volume": 0.5}],
            }
        )
        record = write_sound(shot, list(shot.timing.frames), 3, self.folder, NOWHERE)
        assert record is not None
        theirs, rate = soundfile.read(self.folder / record.path, dtype="float64", always_2d=True)
        info = soundfile.info(self.folder / record.path)
        self.assertEqual((record.path, rate, info.subtype), ("KM010_sound_v003.wav", RATE, "PCM_24"))
        self.assertEqual(len(theirs), round(30 * 1001 / 30000 * RATE))
        begins = round(10 * 1001 / 30000 * RATE)
        self.assertEqual(float(np.abs(theirs[:begins]).max()), 0)
        (sounding,) = (one for _, one in soundings(shot, NOWHERE))
        np.testing.assert_allclose(theirs, mix([sounding], 0, len(theirs)), atol=1.01 * 2**-23)
        # Part of the range: from its first frame to the end of its last.
        part = write_sound(shot, [25, 26, 30], 4, self.folder, NOWHERE)
        assert part is not None
        second = Fraction(1001, 30000)
        self.assertEqual(part.samples, samples_in(20 * second) - samples_in(14 * second))

    def _shot_of(self, moves: dict[str, Any], **more: Any) -> Shot:
        timing = {"first": 11, "last": 70, "rate": "24"}
        return read_shot(
            {"version": 3, "timing": timing, "sounds": [{"id": "a", "file": "foghorn", "moves": moves, **more}]}
        )

    def test_volumes_that_move_are_exact_to_the_sample(self) -> None:
        keys = [
            {"frame": 11, "value": 0.5, "way": "straight"},
            {"frame": 23, "value": 2, "way": "hold"},
            {"frame": 35, "value": 0},
        ]
        count = 3 * RATE // 2
        ((_, sounding),) = soundings(self._shot_of({"volume": {"keys": keys}}, begins=5), NOWHERE)
        moving = [replace(sounding, path=self.wav(np.full((4 * RATE, 2), 0.25, np.float32)))]
        found = mix(moving, 0, count)[:, 0]
        frame = RATE // 24
        at = np.arange(count) / frame + 11
        held = (at < 23) | (at >= 35)
        wanted = np.where(at < 23, 0.5 + 1.5 * (at - 11) / 12, 0.0)
        np.testing.assert_allclose(found[held], 0.25 * wanted[held], atol=1e-6)
        # It holds until a quarter of a frame before the next key, and gets there without a crack.
        rest = slice(12 * frame, 24 * frame - frame // 4)
        np.testing.assert_allclose(found[rest], 0.5, atol=1e-6)
        self.assertLess(float(np.abs(np.diff(found[23 * frame : 25 * frame])).max()), 0.5 * 4.01 / frame)
        parts = np.concatenate([mix(moving, start, 4_800)[:, 0] for start in range(0, count, 4_800)])
        np.testing.assert_array_equal(parts, found)
        drawn = waveform(moving[0], Fraction(0), Fraction(1, 96), 6 * 24)
        self.assertEqual(float(np.abs(drawn[4 * 24 :]).max()), 0)
        self.assertGreater(float(np.abs(drawn[: 4 * 24]).max()), 0)

    def test_only_the_volume_of_a_sound_has_keys(self) -> None:
        for field in ("begins", "on", "skip", "length", "fade_in", "fade_out"):
            with self.subTest(field), self.assertRaises(DocumentError):
                self._shot_of({field: {"keys": [{"frame": 11, "value": 1}]}})
        self.assertEqual(fields_of(Sound), ["volume"])

    def test_shots_without_sound_have_none_and_missing_files_say_where(self) -> None:
        self.assertIsNone(write_sound(read_shot({"version": 3}), [1, 2], 1, self.folder, NOWHERE))
        off = {"version": 3, "sounds": [{"id": "a", "file": "foghorn", "on": False}, {"id": "b"}]}
        self.assertIsNone(write_sound(read_shot(off), [1, 2], 1, self.folder, NOWHERE))
        gone = read_shot({"version": 3, "sounds": [{"id": "a"}, {"id": "b", "file": "nothing"}]})
        with self.assertRaises(InputError) as caught:
            soundings(gone, NOWHERE)
        self.assertEqual(caught.exception.field, "sounds.1.file")

    def test_what_is_listened_to_is_a_plain_wave_file(self) -> None:
        with wave.open(io.BytesIO(wav_bytes(_NOISE))) as file:
            self.assertEqual((file.getnchannels(), file.getsampwidth(), file.getframerate()), (2, 2, RATE))
            numbers = np.frombuffer(file.readframes(len(_NOISE)), "<i2").reshape(-1, 2)
        np.testing.assert_allclose(numbers / 32768, _NOISE, atol=1 / 65536 + 1e-9)
