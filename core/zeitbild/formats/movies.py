"""Movies: with alpha for compositing, editing and the web, and without it."""

from zeitbild.formats import _movies
from zeitbild.formats._base import Format, Option, Options, formats
from zeitbild.formats._coding import ALPHA
from zeitbild.formats._measures import movie_measure
from zeitbild.formats._movies import Movie, opener, reader

#: FFmpeg's number for quantiser 1.
_FINEST = 118
_COLOURS = ("colour", "light", "coverage")


def _register(name: str, title: str, extension: str, kind: Movie, order: int, **more: object) -> None:
    alpha = more.pop("alpha", "straight")
    colour = more.pop("colour", "sRGB (IEC 61966-2-1)")
    formats.register(
        Format(
            name,
            title,
            extension,
            alpha,  # type: ignore[arg-type]
            colour,  # type: ignore[arg-type]
            dict.fromkeys(_COLOURS, kind.bits),  # type: ignore[arg-type]
            opener(kind),
            reader(kind),
            order=order,
            container=True,
            measure=movie_measure,
            moves=True,
            hears=kind.sound,  # type: ignore[arg-type]
            reader="FFmpeg's decoder",
            largest=16384,
            **more,  # type: ignore[arg-type]
        )
    )


def _by_coarseness(options: Options, alpha: float) -> tuple[float, float, float]:
    """What is allowed of codecs that keep less the coarser they are; of one that has to keep to a bit rate, the most."""
    coarse = 50.0 if options.get("megabits") else float(options.get("quality", "0"))
    return 3.0 + coarse / 4, 24.0 + 1.5 * coarse, alpha and alpha + 3 * coarse


_register(
    "prores4444",
    "ProRes 4444 in MOV",
    "mov",
    Movie(
        "mov",
        "prores_ks",
        "yuva444p10le",
        # The finest steps at once: with alpha the room for a frame is such that nothing else is ever found.
        lambda _: {
            "profile": "4444",
            "alpha_bits": "16",
            "vendor": "apl0",
            "flags": "+qscale",
            "global_quality": str(_FINEST),
        },
        allowed=lambda _: (1.5, 6.0, 1.0),
        bits=10,
        sound="PCM",
    ),
    60,
    options=(ALPHA, _movies.TRANSFER),
    lossy="Colour is off by less than an 8-bit level in the mean; alpha is kept.",
)
_register(
    "runlength",
    "Run-length MOV, 8 bits",
    "mov",
    Movie("mov", "qtrle", "argb", lambda _: {}, lossless=8, sound="PCM"),
    61,
    options=(ALPHA,),
)
for _bits, _pixels in ((8, "rgba"), (16, "rgba64be")):
    _register(
        f"pngmov{_bits}",
        f"PNG in MOV, {_bits} bits",
        "mov",
        Movie("mov", "png", _pixels, lambda _: {"pred": "up"}, lossless=_bits, bits=_bits, sound="PCM"),  # type: ignore[arg-type]
        62 + (_bits > 8),
        options=(ALPHA,),
    )


def _ffv1(_: Options) -> dict[str, str]:
    """In four parts, each with its checksum (RFC 9043)."""
    return {"level": "3", "slices": "4", "slicecrc": "1"}


#: A picture of one row or column has no four parts.
_WHOLE = {"level": "1", "slices": "0", "slicecrc": "0"}
for _bits, _pixels in ((8, "bgra"), (16, "gbrap16le")):
    _register(
        f"ffv1-{_bits}",
        f"Lossless MKV (FFV1, RFC 9043), {_bits} bits",
        "mkv",
        Movie(
            "matroska",
            "ffv1",
            _pixels,
            _ffv1,
            lossless=_bits,  # type: ignore[arg-type]
            bits=_bits,
            sound="PCM",
            small=_WHOLE,
            small_below=2,
        ),
        64 + (_bits > 8),
        options=(ALPHA,),
    )
_register(
    "ffv1-avi",
    "Lossless AVI (FFV1), 8 bits",
    "avi",
    Movie("avi", "ffv1", "bgra", _ffv1, lossless=8, sound="PCM", small=_WHOLE, small_below=2),
    66,
    options=(ALPHA,),
)
_register(
    "webm",
    "WebM with alpha (VP9)",
    "webm",
    Movie(
        "webm",
        "libvpx-vp9",
        "yuva420p",
        lambda options: {
            "crf": options.get("quality", "12"),
            "b": "0",
            "row-mt": "1",
            # A quarter of the time of what is "good", for 5 % more bytes.
            "deadline": "realtime",
            "cpu-used": "6",
            "tile-columns": "2",
            "auto-alt-ref": "0",
            # Nothing is made of frames ahead then: waiting for them takes 190 MB at 1920x1080, and the files are as large.
            "lag-in-frames": "0",
        },
        allowed=lambda options: _by_coarseness(options, 40.0),
        bled=True,
        sound="Opus",
        decoder="libvpx-vp9",
    ),
    80,
    options=(
        Option(
            "quality",
            "Coarseness",
            low=0,
            high=50,
            initial="12",
            kind="number",
            note="0 keeps nearly everything, 30 is small, 50 is rough.",
            smaller="higher",
        ),
    ),
    lossy="Colour has a quarter of the places that alpha has, and fine detail is blurred a little.",
)
_register(
    "h264",
    "H.264 in MP4, without alpha",
    "mp4",
    Movie(
        "mp4",
        "libx264",
        "yuv420p",
        lambda options: {
            # Half the time of "medium", for 2 % more bytes.
            "preset": "veryfast",
            "profile": "high",
            **(
                {
                    "b": f"{float(options['megabits']) * 1e6:.0f}",
                    "maxrate": f"{float(options['megabits']) * 1.5e6:.0f}",
                    "bufsize": f"{float(options['megabits']) * 2e6:.0f}",
                }
                if options.get("megabits")
                else {"crf": options.get("quality", "16")}
            ),
        },
        alpha=False,
        allowed=lambda options: _by_coarseness(options, 0.0),
        sound="AAC",
        muxer={"movflags": "+faststart+write_colr"},
        # Of small pictures its look ahead reads what nobody wrote, and the bytes are others from one time to the next.
        small={"x264-params": "mbtree=0"},
    ),
    90,
    alpha="none",
    even=True,
    options=(
        Option(
            "quality",
            "Coarseness",
            low=1,
            high=40,
            initial="16",
            kind="number",
            note="12 cannot be told from the picture, 18 is usual, 28 is small.",
            smaller="higher",
            only={"megabits": ""},
        ),
        Option(
            "megabits",
            "Bit rate",
            low=0.1,
            high=200,
            kind="number",
            unit="Mbit/s",
            note="Instead of coarseness, where a service asks for one.",
        ),
        _movies.TRANSFER,
    ),
    lossy="No alpha; colour has a quarter of the places that brightness has.",
)
_register(
    "prores422",
    "ProRes 422 HQ in MOV, without alpha",
    "mov",
    Movie(
        "mov",
        "prores_ks",
        "yuv422p10le",
        lambda _: {"profile": "hq", "vendor": "apl0"},
        alpha=False,
        allowed=lambda _: (2.0, 16.0, 0.0),
        bits=10,
        sound="PCM",
    ),
    91,
    alpha="none",
    options=(_movies.TRANSFER,),
    even=True,
    lossy="No alpha; colour has half of the places that brightness has.",
)
