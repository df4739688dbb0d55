"""Footage for the benches: the demo card, drawn where it is missing."""

from __future__ import annotations

import sys
from pathlib import Path

from agile_shadow.core.log import cache_folder
from agile_shadow.stand_ins import CLIPS, draw_card, missing_from_card


def demo_card() -> Path:
    """The card of the demo, whole."""
    card = cache_folder() / "demo" / "Card"
    if not card.exists() or missing_from_card(card):
        print("drawing the demo card, once", file=sys.stderr)
        draw_card(card)
    return card


def heavy_clip(folder: Path) -> Path:
    """The UHD HEVC clip of the card."""
    return demo_card() / next(plan.path for plan in CLIPS if (plan.width, plan.height) == (3840, 2160))
