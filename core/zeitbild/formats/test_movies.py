"""Movies and light animation, read by other programs than those that wrote them, and by parsing what their specifications say."""

import io
import json
import struct
import subprocess
import tempfile
import unittest
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from importlib import resources
from pathlib import Path
from typing import Any

import av
import imageio_ffmpeg
import jsonschema
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import encode
from zeitbild.errors import InputError, StorageError
from zeitbild.formats import Format, Plane, beside, formats
from zeitbild.formats.gif import hardened

RATE = Fraction(30000, 1001)
#: Alphas at which rounding and clearness change.
ALPHAS = np.array([0, 1, 64, 127, 128, 254, 255]) / 255
MOVING = [form for form in formats if form.container]
MOVIES = [form for form in MOVING if form.extension in ("mov", "mkv", "avi", "webm", "mp4")]


def edge(number: int, width: int = 98, height: int = 62) -> NDArray[np.float32]:
    """A disc of a colour that runs through it, with a soft edge, further right from frame to frame; and patches of every alpha."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    alpha = np.clip(1 - (np.hypot(x - width / 2 - number, y - height / 2) - height / 3) / 6, 0, 1)
    colour = np.stack([x / width, y / height, (x + y) / (width + height)], axis=2)
    for at, own in enumerate(ALPHAS):
        alpha[2:10, 4 + 12 * at : 14 + 12 * at] = own
    return np.concatenate([colour * alpha[..., None], alpha[..., None]], axis=2).astype(np.float32)


def plane(form: Format, number: int, width: int = 98, height: int = 62) -> Plane:
    """A frame as it comes to a format."""
    pixels = edge(number, width, height)
    if form.alpha == "none":
        pixels[..., 3] = 1
    return Plane("colour", pixels, layer="sign", name="beauty", rate=RATE, frame=7 + number)


def encoded_straight(pixels: NDArray[np.float32]) -> NDArray[np.float64]:
    """Straight sRGB [H, W, 4] in 0..1 by the published formula."""
    alpha = pixels[..., 3:].astype(np.float64)
    return np.concatenate([encode(pixels[..., :3] / np.maximum(alpha, 1e-9)), alpha], axis=2)


class Written(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def write(self, form: Format, planes: list[Plane], name: str = "one", **options: str) -> Path:
        path = self.folder / f"{name}.{form.extension}"
        writer = form.open(path, "pass", options)
        for one in planes:
            writer.add([one])
        writer.close()
        for ending, data in beside(writer).items():
            path.with_suffix(f".{ending}").write_bytes(data)
        return path

    def found(self, form: Format, path: Path, planes: list[Plane], **options: str) -> list[Any]:
        return [one for (one,) in form.read_back(path, ([one] for one in planes), "pass", options)]


class Every(Written):
    def test_one_frame_odd_sizes_and_three_frames_hold(self) -> None:
        for form in MOVING:
            odd = (98, 62) if form.even else (97, 61)
            least = max(form.smallest, 2 if form.even else 1)
            for count, size in ((1, (98, 62)), (3, odd), (2, (least, 34)), (2, (402, least)), (1, (least, least))):
                planes = [plane(form, number, *size) for number in range(count)]
                path = self.write(form, planes, f"{form.name}-{count}-{size[0]}-{size[1]}")
                found = self.found(form, path, planes)
                self.assertEqual(len(found), count)
                self.assertTrue(all(one.holds for one in found), (form.name, found))
                if form.measure is not None:
                    self.assertEqual(form.measure(path), (*size, count), form.name)

    def test_equal_frames_give_equal_bytes(self) -> None:
        for form in MOVING:
            planes = [plane(form, number) for number in range(4)]
            own = [self.write(form, planes, f"{form.name}{number}").read_bytes() for number in range(3)]
            self.assertEqual(own[0], own[1], form.name)
            self.assertEqual(own[0], own[2], form.name)

    def test_every_choice_holds(self) -> None:
        for form in MOVING:
            planes = [plane(form, number) for number in range(2)]
            for option in form.options:
                values = [name for name, _ in option.choices[1:]]
                if option.kind == "number" and option.low is not None and option.high is not None:
                    values = [f"{option.low:g}", f"{option.high:g}"]
                for value in values:
                    path = self.write(form, planes, f"{form.name}-{option.name}", **{option.name: value})
                    for one in self.found(form, path, planes, **{option.name: value}):
                        self.assertTrue(one.holds, (form.name, option.name, value, one))

    def test_frames_that_are_missing_too_many_or_others_are_noticed(self) -> None:
        for form in MOVING:
            planes = [plane(form, number) for number in range(4)]
            path = self.write(form, planes, form.name)
            wrong = [*planes[:2], plane(form, 30), planes[3]]
            for others in (planes[:3], [*planes, plane(form, 4)], wrong):
                try:
                    found = self.found(form, path, others)
                except StorageError:
                    continue
                self.assertFalse(all(one.holds for one in found), (form.name, len(others)))

    def test_broken_files_say_so(self) -> None:
        for form in MOVING:
            planes = [plane(form, number) for number in range(3)]
            whole = self.write(form, planes, form.name).read_bytes()
            for at, data in enumerate((b"", b"nonsense" * 9, whole[: len(whole) // 2])):
                path = self.folder / f"{form.name}-broken{at}.{form.extension}"
                path.write_bytes(data)
                try:
                    found = self.found(form, path, planes)
                except StorageError:
                    continue
                self.assertFalse(all(one.holds for one in found), form.name)


class Busy(Written):
    """Pictures that are nothing but detail: what a codec makes of them is its nature and no fault, and another frame still is one."""

    def _noise(self, number: int, kind: str, opaque: bool) -> Plane:
        random = np.random.default_rng(number)
        alpha, colour = random.random((54, 96, 1)), random.random((54, 96, 3))
        if kind == "hard":
            alpha, colour = np.round(alpha), np.round(colour)
        if kind == "lines":
            alpha = np.ones_like(alpha)
            colour = np.zeros_like(colour)
            colour[:, number % 2 :: 2, 0] = colour[:, 1 - number % 2 :: 2, 2] = 1
        if opaque:
            alpha = np.ones_like(alpha)
        pixels = np.concatenate([colour * alpha, alpha], axis=2).astype(np.float32)
        return Plane("colour", pixels, rate=RATE, frame=number)

    def test_noise_and_stripes_can_be_handed_off(self) -> None:
        for form in (one for one in formats if one.lossy or one.name in ("webp", "webp-moving")):
            for kind in ("soft", "hard", "lines"):
                choices: list[dict[str, str]] = [{}]
                choices += [
                    {option.name: f"{end:g}", **({"keeps": "most"} if option.name == "quality" else {})}
                    for option in form.options
                    if option.kind == "number"
                    for end in (option.low, option.high)
                    if end is not None
                ]
                for options in choices:
                    if "keeps" in options and "keeps" not in [option.name for option in form.options]:
                        del options["keeps"]
                    planes = [
                        self._noise(number, kind, form.alpha == "none") for number in range(3 if form.container else 1)
                    ]
                    path = self.write(form, planes, f"{form.name}-{kind}", **options)
                    found = self.found(form, path, planes, **options)
                    self.assertTrue(all(one.holds for one in found), (form.name, kind, options, found))


class OtherPrograms(Written):
    """Movies through another build of FFmpeg, as a program of its own."""

    def _decoded(self, form: Format, path: Path) -> NDArray[np.float64]:
        program = imageio_ffmpeg.get_ffmpeg_exe()
        before = ("-c:v", "libvpx-vp9") if form.name == "webm" else ()
        # Its scaler does not take 8 bits to 16 exactly.
        fine = form.lossy != "" or form.bits["colour"] > 8
        pixels, kind = ("rgba64le", "<u2") if fine else ("rgba", "u1")
        words = [program, "-v", "error", *before, "-i", str(path), "-f", "rawvideo", "-pix_fmt", pixels, "-"]
        data = subprocess.run(words, check=True, capture_output=True).stdout
        return np.frombuffer(data, kind).reshape(-1, 62, 98, 4) / (65535 if fine else 255)

    def test_colour_and_alpha_of_every_movie(self) -> None:
        for form in MOVIES:
            planes = [plane(form, number) for number in range(3)]
            path = self.write(form, planes, form.name)
            found = self._decoded(form, path)
            self.assertEqual(len(found), 3, form.name)
            for one, own in zip(found, planes, strict=True):
                wanted = encoded_straight(own.pixels)
                off = np.abs(one[..., :3] * one[..., 3:] - wanted[..., :3] * wanted[..., 3:]).max(axis=2) * 255
                lossless = not form.lossy
                self.assertLess(off.mean(), 0.5 if lossless else 3.0, form.name)
                # Half of a level of 8 bits in colour, and in alpha.
                self.assertLess(off.max(), 1.01 if lossless else 90, form.name)
                alpha = np.abs(one[..., 3] - wanted[..., 3]).max() * 255
                self.assertLess(alpha, 0.51 if form.name not in ("webm", "hevc") else 30, form.name)

    def test_premultiplied_colour_is_multiplied_after_it_was_encoded(self) -> None:
        for form in (one for one in MOVIES if any(option.name == "alpha" for option in one.options)):
            own = plane(form, 0)
            (found,) = self._decoded(form, self.write(form, [own], form.name, alpha="premultiplied"))
            wanted = encoded_straight(own.pixels)
            off = np.abs(found[..., :3] - wanted[..., :3] * wanted[..., 3:]) * 255
            self.assertLess(off.max(), 0.51 if not form.lossy else 8, form.name)

    def test_the_curve_of_rec_709_is_written_and_said(self) -> None:
        # ITU-R BT.709-6: light of 0.018 is 0.081, light of 0.5 is 0.705; H.273: transfer 1.
        for name in ("prores4444", "prores422", "h264"):
            form = formats.get(name)
            pixels = np.ones((62, 98, 4), np.float32)
            pixels[..., :3] = 0.5
            grey = Plane("colour", pixels, rate=RATE)
            path = self.write(form, [grey], name, transfer="rec709")
            (found,) = self._decoded(form, path)
            self.assertAlmostEqual(float(found[..., 1].mean()), 1.099 * 0.5**0.45 - 0.099, delta=0.004)
            with av.open(str(path)) as file:
                frame = next(file.decode(video=0))
            self.assertEqual((frame.color_primaries, frame.color_trc, int(frame.colorspace)), (1, 1, 1), name)
            self.assertEqual(int(frame.color_range), 1)

    def test_sound_inside_is_in_step_and_as_loud(self) -> None:
        for form in (one for one in MOVIES if one.hears):
            count, at = 30, 20
            edges = [int(48000 / RATE * number) for number in range(count + 1)]
            sound = np.zeros((edges[-1], 2), np.float32)
            # A burst that begins with a frame, louder on the left.
            begin = edges[at]
            burst = np.sin(2 * np.pi * 1000 * np.arange(4800) / 48000)
            sound[begin : begin + 4800] = burst[:, None] * np.array([0.5, 0.25])
            planes = [
                Plane(
                    "colour",
                    plane(form, 0).pixels,
                    rate=RATE,
                    frame=number,
                    sound=sound[edges[number] : edges[number + 1]],
                )
                for number in range(count)
            ]
            path = self.write(form, planes, form.name)
            self.assertTrue(all(one.holds for one in self.found(form, path, planes)), form.name)
            program = imageio_ffmpeg.get_ffmpeg_exe()
            words = [program, "-v", "error", "-i", str(path), "-f", "f32le", "-ar", "48000", "-ac", "2", "-"]
            heard = np.frombuffer(subprocess.run(words, check=True, capture_output=True).stdout, "<f4").reshape(-1, 2)
            loud = np.flatnonzero(np.abs(heard[:, 0]) > 0.1)
            # A hundredth of a second is a quarter of a frame.
            self.assertAlmostEqual(loud[0], begin, delta=480, msg=form.name)
            middle = heard[begin + 1200 : begin + 3600]
            level = np.sqrt((middle.astype(np.float64) ** 2).mean(axis=0))
            np.testing.assert_allclose(level, np.array([0.5, 0.25]) / np.sqrt(2), rtol=0.05, err_msg=form.name)
            if form.hears == "PCM":
                self.assertEqual(len(heard), len(sound))
                self.assertLess(np.abs(heard - sound).max(), 1.01 / 2**23, form.name)


class WrongSound(Written):
    def test_sound_that_is_silent_softer_swapped_late_or_short_is_noticed(self) -> None:
        edges = [int(48000 / RATE * number) for number in range(31)]
        whole = np.random.default_rng(8).normal(0, 0.2, (edges[-1], 2)).astype(np.float32)
        whole[: edges[15]] *= (0.2, 1.0)
        others = {
            "silent": whole * 0,
            "softer": whole * 0.7,
            "swapped": whole[:, ::-1],
            "late": np.roll(whole, edges[8], axis=0),
        }

        def planes(sound: NDArray[np.float32]) -> list[Plane]:
            pixels = plane(formats.get("h264"), 0).pixels
            return [
                Plane("colour", pixels, rate=RATE, frame=at, sound=sound[edges[at] : edges[at + 1]]) for at in range(30)
            ]

        for form in (one for one in MOVIES if one.hears):
            path = self.write(form, planes(whole), form.name)
            self.assertTrue(all(one.holds for one in self.found(form, path, planes(whole))), form.name)
            for kind, wrong in others.items():
                with self.assertRaisesRegex(StorageError, "not as loud", msg=f"{form.name} {kind}"):
                    self.found(form, path, planes(wrong))
            mute = self.write(form, [replace(one, sound=None) for one in planes(whole)], f"{form.name}-mute")
            with self.assertRaisesRegex(StorageError, "no sound inside"):
                self.found(form, mute, planes(whole))


def _atoms(data: bytes, at: int = 0, end: int | None = None) -> Iterator[tuple[str, int, int]]:
    """Atoms of a MOV or MP4 (ISO/IEC 14496-12): kind, where its contents begin and end; those that hold others are gone into."""
    end = len(data) if end is None else end
    while at + 8 <= end:
        size, kind = struct.unpack_from(">I4s", data, at)
        head = 8
        if size == 1:
            size, head = struct.unpack_from(">Q", data, at + 8)[0], 16
        name = kind.decode("latin1")
        yield name, at + head, at + size
        if name in ("moov", "trak", "mdia", "minf", "stbl"):
            yield from _atoms(data, at + head, at + size)
        elif name == "stsd":
            yield from _atoms(data, at + head + 8, at + size)
        elif name in ("ap4h", "apch", "rle ", "png ", "avc1"):
            # 78 bytes of a sample entry of pictures stand before its own atoms.
            yield from _atoms(data, at + head + 78, at + size)
        at += size


class Containers(Written):
    def test_mov_and_mp4_say_codec_size_rate_and_colour(self) -> None:
        # Sample entries: ProRes 4444 "ap4h", 422 HQ "apch", run lengths "rle ", PNG "png ", H.264 "avc1"; colr: H.273 code points.
        for name, entry in (
            ("prores4444", "ap4h"),
            ("prores422", "apch"),
            ("runlength", "rle "),
            ("pngmov8", "png "),
            ("h264", "avc1"),
        ):
            form = formats.get(name)
            data = self.write(form, [plane(form, number) for number in range(3)], name).read_bytes()
            found = {kind: (begin, end) for kind, begin, end in _atoms(data)}
            self.assertIn(entry, found, name)
            begin = found[entry][0]
            self.assertEqual(struct.unpack_from(">HH", data, begin + 24), (98, 62), name)
            depth = struct.unpack_from(">H", data, begin + 74)[0]
            if name in ("runlength", "prores4444"):
                self.assertEqual(depth, 32, name)
            if name != "runlength":
                at = found["colr"][0]
                self.assertIn(data[at : at + 4], (b"nclc", b"nclx"), name)
                self.assertEqual(struct.unpack_from(">HH", data, at + 4), (1, 13), name)
            # The whole of it, in thousandths; pictures that are kept in another order need more time beside it.
            scale, long = struct.unpack_from(">II", data, found["mvhd"][0] + 12)
            self.assertLess(abs(Fraction(long, scale) - 3 / RATE), Fraction(1, scale), name)
            if name == "h264":
                # What is needed to begin stands before the pictures.
                self.assertLess(found["moov"][0], found["mdat"][0])

    def test_webm_says_that_it_has_alpha(self) -> None:
        # Matroska: AlphaMode 53C0 is 1 in the track; BlockAdditional A5 holds alpha of each block.
        form = formats.get("webm")
        data = self.write(form, [plane(form, number) for number in range(3)]).read_bytes()
        at = data.index(b"\x53\xc0")
        self.assertEqual(data[at + 2 : at + 4], b"\x81\x01")
        self.assertGreaterEqual(data.count(b"\xa5"), 3)
        self.assertEqual(data[:4], b"\x1aE\xdf\xa3")


class Gif(Written):
    """GIF89a, parsed here."""

    def _blocks(self, data: bytes) -> tuple[list[tuple[int, int, int]], int]:
        """Of each frame its disposal, its delay and its clear number; and how often it plays (-1: nothing is said)."""
        self.assertEqual(data[:6], b"GIF89a")
        at = 13 + (3 << ((data[10] & 7) + 1) if data[10] & 0x80 else 0)
        frames, plays = [], -1
        while data[at] != 0x3B:
            if data[at] == 0x21:
                if data[at + 1] == 0xF9:
                    flags, delay, clear = struct.unpack_from("<BHB", data, at + 3)
                    self.assertTrue(flags & 1)
                    frames.append((flags >> 2 & 7, delay, clear))
                elif data[at + 1] == 0xFF and data[at + 3 : at + 14] == b"NETSCAPE2.0":
                    plays = struct.unpack_from("<H", data, at + 16)[0]
                at += 2
            else:
                flags = data[at + 9]
                at += 10 + (3 << ((flags & 7) + 1) if flags & 0x80 else 0) + 1
            while data[at]:
                at += data[at] + 1
            at += 1
        return frames, plays

    def test_delays_add_up_and_frames_replace_one_another(self) -> None:
        form = formats.get("gif")
        for rate, count in ((Fraction(24), 48), (RATE, 40), (Fraction(25), 10), (Fraction(50), 7)):
            planes = [Plane("colour", plane(form, number).pixels, rate=rate, frame=number) for number in range(count)]
            frames, plays = self._blocks(self.write(form, planes).read_bytes())
            self.assertEqual((len(frames), plays), (count, 0))
            self.assertTrue(all(disposal == 2 for disposal, _, _ in frames))
            delays = [delay for _, delay, _ in frames]
            self.assertEqual(sum(delays), round(100 * count / rate))
            begins = np.concatenate([[0], np.cumsum(delays)[:-1]]) / 100
            self.assertLessEqual(np.abs(begins - np.arange(count) / float(rate)).max(), 0.005 + 1e-9)
        self.assertEqual(self._blocks(self.write(form, planes, plays="once").read_bytes())[1], -1)

    def test_pillow_finds_the_same_pixels(self) -> None:
        form = formats.get("gif")
        planes = [plane(form, number) for number in range(3)]
        with Image.open(self.write(form, planes)) as file:
            for number, own in enumerate(planes):
                file.seek(number)
                found = np.asarray(file.convert("RGBA")) / 255
                wanted = encoded_straight(hardened(own, {}).pixels)
                np.testing.assert_array_equal(found[..., 3], wanted[..., 3])
                self.assertLess(np.abs(found - wanted)[found[..., 3] > 0].mean() * 255, 4)

    def test_few_colours_are_kept_whole(self) -> None:
        form = formats.get("gif")
        pixels = np.zeros((20, 30, 4), np.float32)
        for at in range(6):
            pixels[:, 5 * at : 5 * at + 4] = (at / 6, 1 - at / 6, 0.5, 1)
        own = Plane("colour", pixels, rate=Fraction(10))
        with Image.open(self.write(form, [own])) as file:
            found = np.asarray(file.convert("RGBA"))
        np.testing.assert_array_equal(
            found, (encoded_straight(pixels) * 255 + 0.5).astype(np.uint8) * (pixels[..., 3:] > 0)
        )

    def test_faster_than_players_go_is_refused(self) -> None:
        form = formats.get("gif")
        with self.assertRaisesRegex(InputError, "at most 50 frames a second"):
            self.write(form, [Plane("colour", edge(0), rate=Fraction(60))])


class Lottie(Written):
    def test_it_is_what_the_published_schema_says(self) -> None:
        # The JSON schema of the Lottie animation format, from the package that its community publishes.
        form = formats.get("lottie")
        planes = [plane(form, number) for number in range(3)]
        read = json.loads(self.write(form, planes).read_text())
        schema = json.loads((resources.files("lottie_specs") / "data" / "lottie.schema.json").read_text())
        jsonschema.Draft202012Validator(schema).validate(read)
        self.assertEqual((read["ip"], read["op"], read["fr"]), (0, 3, float(RATE)))


class Sprites(Written):
    def test_frames_are_where_the_json_says(self) -> None:
        form = formats.get("sprites")
        # The third is the first once more, and one is empty.
        numbers = (0, 5, 0)
        planes = [plane(form, number) for number in numbers]
        planes.append(Plane("colour", np.zeros_like(planes[0].pixels), rate=RATE, frame=10))
        for layout in ("packed", "grid"):
            for sides in ("as needed", "powers of two"):
                path = self.write(form, planes, layout, layout=layout, sides=sides)
                sheet = np.asarray(Image.open(path))
                told = json.loads(path.with_suffix(".json").read_text())
                self.assertEqual(sheet.shape[:2], (told["sheet"]["height"], told["sheet"]["width"]))
                if sides == "powers of two":
                    self.assertTrue(all(side & (side - 1) == 0 for side in sheet.shape[:2]))
                rows = told["frames"]
                self.assertEqual(rows[0]["on_sheet"], rows[2]["on_sheet"])
                for row, own in zip(rows, planes, strict=True):
                    at, into = row["on_sheet"], row["in_picture"]
                    found = np.zeros(own.pixels.shape, np.uint8)
                    part = sheet[at["y"] : at["y"] + at["height"], at["x"] : at["x"] + at["width"]]
                    found[into["y"] : into["y"] + at["height"], into["x"] : into["x"] + at["width"]] = part
                    wanted = (encoded_straight(own.pixels) * 255 + 0.5).astype(np.uint8)
                    wanted[wanted[..., 3] == 0] = 0
                    self.assertLessEqual(np.abs(found.astype(int) - wanted).max(), 1)
                # No two of them overlap, and there are pixels between them.
                taken = np.zeros(sheet.shape[:2], int)
                for at in {json.dumps(row["on_sheet"]) for row in rows}:
                    place = json.loads(at)
                    taken[place["y"] : place["y"] + place["height"], place["x"] : place["x"] + place["width"]] += 1
                self.assertEqual(taken.max(), 1)

    def test_a_sheet_that_no_card_takes_is_refused_with_what_to_do(self) -> None:
        form = formats.get("sprites")
        planes = [
            Plane("colour", np.full((900, 900, 4), 0.01 * number, np.float32), frame=number) for number in range(1, 100)
        ]
        with self.assertRaisesRegex(InputError, "give it a smaller width"):
            self.write(form, planes, layout="grid")


class MovingWebp(Written):
    def test_it_says_what_the_specification_wants(self) -> None:
        # RFC 9649: RIFF, VP8X with animation (2) and alpha (16), ANIM, an ANMF for each frame; stays are milliseconds.
        form = formats.get("webp-moving")
        planes = [plane(form, number) for number in range(5)]
        data = self.write(form, planes).read_bytes()
        self.assertEqual(
            (data[:4], struct.unpack_from("<I", data, 4)[0], data[8:16]), (b"RIFF", len(data) - 8, b"WEBPVP8X")
        )
        self.assertEqual(data[20] & 0x12, 0x12)
        self.assertEqual(data.count(b"ANMF"), 5)
        with Image.open(io.BytesIO(data)) as file:
            stays = []
            for number in range(5):
                file.seek(number)
                file.load()
                stays.append(file.info["duration"])
        self.assertEqual(sum(stays), round(1000 * 5 / RATE))
