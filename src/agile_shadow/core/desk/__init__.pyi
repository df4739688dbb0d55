from .baking import BakeRun, remove_bakes
from .desk import Desk, Ended, Run
from .film import FilmRun, film_request
from .keeping import KeepRun, SecondRun
from .making import MakeRun

__all__ = [
    "BakeRun",
    "Desk",
    "Ended",
    "FilmRun",
    "KeepRun",
    "MakeRun",
    "Run",
    "SecondRun",
    "film_request",
    "remove_bakes",
]
