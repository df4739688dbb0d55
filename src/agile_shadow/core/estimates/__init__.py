"""What a preset does to footage on this machine: headroom, sizes, data, time; measured and kept."""

from .headroom import Headroom, HeadroomRequest, headroom_of, keep_headroom, kept_headroom, measure_headroom
from .measurements import Kept, Measurements, file_key
from .need import needs_headroom, needs_proxy

__all__ = [
    "Headroom",
    "HeadroomRequest",
    "Kept",
    "Measurements",
    "file_key",
    "headroom_of",
    "keep_headroom",
    "kept_headroom",
    "measure_headroom",
    "needs_headroom",
    "needs_proxy",
]
