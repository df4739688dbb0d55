"""Libraries that take long to load and that most starts never need: loaded when something of them is first used."""

from __future__ import annotations

import logging
from importlib import import_module
from typing import Any

log = logging.getLogger(__name__)


class Late:
    """Stands for a module until an attribute of it is asked for. Raises ImportError, or what loading it raises, then.
    """

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, attribute: str) -> Any:
        return getattr(import_module(self._name), attribute)


def load_ahead(library: Late) -> None:
    """Load a library before it is used, on a thread, while nothing moves: until its machine code is there no other
    thread runs, a sixth of a second where processors are busy. It is not missed until it is used."""
    try:
        import_module(library._name)
    except Exception:
        log.warning("loading ahead", exc_info=True)


cv2: Any = Late("cv2")
psutil: Any = Late("psutil")
pil_image: Any = Late("PIL.Image")
pil_draw: Any = Late("PIL.ImageDraw")
pil_font: Any = Late("PIL.ImageFont")
sounddevice: Any = Late("sounddevice")
opentimelineio: Any = Late("opentimelineio")
signal: Any = Late("scipy.signal")
ndimage: Any = Late("scipy.ndimage")
optimize: Any = Late("scipy.optimize")
sparse: Any = Late("scipy.sparse")
csgraph: Any = Late("scipy.sparse.csgraph")
