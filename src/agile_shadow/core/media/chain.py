"""A row of filters over pictures."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from av.filter import Graph
from av.video.frame import VideoFrame


def filter_chain(frame: VideoFrame, time_base: Fraction, steps: Sequence[str]) -> Graph:
    """A graph ready for frames like ``frame``: each step as ``name`` or ``name=arguments``, in their order."""
    graph = Graph()
    last = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=time_base)
    for step in (*steps, "buffersink"):
        name, _, arguments = step.partition("=")
        node = graph.add(name, arguments or None)
        last.link_to(node)
        last = node
    graph.configure()
    return graph
