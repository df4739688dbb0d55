from .card import CLIPS, ClipPlan, draw_card, draw_clip, missing_from_card
from .code_strip import read_code
from .scenes import SCENES

__all__ = ["CLIPS", "SCENES", "ClipPlan", "draw_card", "draw_clip", "missing_from_card", "read_code"]
