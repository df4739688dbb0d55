"""Background work: executors, the machine's budget, and the queue of jobs, on disk as well."""

from .awake import Awake
from .executor import Executor, Inline
from .hands import Handed, Hands
from .listing import Listing
from .machine import Machine, Rank
from .piece import WISHES, Piece
from .pool import WorkerPool
from .store import CopyRecord, JobRecord, JobStore
from .task import Report, Task

__all__ = [
    "WISHES",
    "Awake",
    "CopyRecord",
    "Executor",
    "Handed",
    "Hands",
    "Inline",
    "JobRecord",
    "JobStore",
    "Listing",
    "Machine",
    "Piece",
    "Rank",
    "Report",
    "Task",
    "WorkerPool",
]
