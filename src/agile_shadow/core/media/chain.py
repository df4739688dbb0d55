"""A row of filters over pictures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction

from av.filter import Graph
from av.video.frame import VideoFrame

Step = str | tuple[str, Mapping[str, str]]


def filter_chain(frame: VideoFrame, time_base: Fraction, steps: Sequence[Step]) -> Graph:
    """A graph ready for frames like ``frame``, its steps in their order.

    A step is ``name``, ``name=arguments``, or a name with its options where those may hold any character.
    """
    graph = Graph()
    last = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=time_base)
    for step in (*steps, "buffersink"):
        if isinstance(step, str):
            name, _, arguments = step.partition("=")
            node = graph.add(name, arguments or None)
        else:
            node = graph.add(step[0], **step[1])
        last.link_to(node)
        last = node
    graph.configure()
    return graph
