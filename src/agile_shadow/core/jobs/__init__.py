"""Background work: worker processes, and the list of unfinished jobs on disk."""

from .awake import Awake
from .piece import WISHES, Piece
from .pool import WorkerPool
from .store import CopyRecord, JobRecord, JobStore
from .task import Report, Task

__all__ = ["WISHES", "Awake", "CopyRecord", "JobRecord", "JobStore", "Piece", "Report", "Task", "WorkerPool"]
