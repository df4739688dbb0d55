"""Sound whose channels lie in an order of its own: read as plain channels, one after the other.

The library's Python layer keeps one list of such an order in two places and frees it twice, which ends the process (a
MOV whose ``chan`` box describes its channels singly). Naming a usual order before the decoder opens avoids the list.
"""

from __future__ import annotations

import av
from av.container import InputContainer

_OWN = (" channels (", "ambisonic")  # how the library describes orders that are kept as a list


def plain_layouts(container: InputContainer) -> None:
    """Have every sound stream of a container, before anything is decoded, name an order without a list."""
    for stream in container.streams.audio:
        context = stream.codec_context
        if context is not None:
            layout = context.layout
            if any(mark in layout.name for mark in _OWN):
                context.layout = _usual(layout.nb_channels)


def _usual(channels: int) -> av.AudioLayout:
    try:
        return av.AudioLayout(f"{channels}c")
    except ValueError:
        return av.AudioLayout(f"{channels}C")
