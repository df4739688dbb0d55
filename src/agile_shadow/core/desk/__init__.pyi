from .desk import Desk, Ended, Run
from .film import FilmRun, film_request
from .keeping import KeepRun, SecondRun
from .making import MakeRun

__all__ = ["Desk", "Ended", "FilmRun", "KeepRun", "MakeRun", "Run", "SecondRun", "film_request"]
