"""Background work: worker processes, and the list of unfinished jobs on disk."""

from .pool import WorkerPool
from .store import CopyRecord, JobRecord, JobStore
from .task import Report, Task

__all__ = ["CopyRecord", "JobRecord", "JobStore", "Report", "Task", "WorkerPool"]
