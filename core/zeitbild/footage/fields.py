"""Pictures of movies that are two fields: every other line is half a picture later. FFmpeg's ``bwdif`` makes them whole, by those before and behind."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import av
from av.video.frame import VideoFrame

#: One picture for each pair of fields, as at the first of them; those that are whole stay as they are.
_HOW = "mode=send_frame:parity=auto:deint=interlaced"


class Fields:
    """Pictures of a stream, one after the other; what comes out is one behind what goes in."""

    def __init__(self, stream: Any) -> None:
        self._graph = graph = av.filter.Graph()
        graph.link_nodes(graph.add_buffer(template=stream), graph.add("bwdif", _HOW), graph.add("buffersink"))
        graph.configure()

    def whole(self, frame: VideoFrame | None) -> Iterator[VideoFrame]:
        """What is whole after a picture; None: there are no more."""
        self._graph.vpush(frame)
        while True:
            try:
                yield self._graph.vpull()
            except (av.BlockingIOError, av.EOFError):
                return
