"""The desk of an open project: every run of it, and what is queued for it on disk."""

from .desk import Desk, Ended, Run
from .film import FilmRun, film_request
from .making import MakeRun

__all__ = ["Desk", "Ended", "FilmRun", "MakeRun", "Run", "film_request"]
