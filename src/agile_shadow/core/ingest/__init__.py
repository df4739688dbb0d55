"""Ingest: reading a source, verified copying, the run of a preset over a source, its report."""

from .copying import CopyRequest, CopyResult, copy_and_prove, hash_file
from .report import IngestReport, Problem
from .run import IngestRequest, IngestRun, ItemState, Progress
from .source import SourceFile, SourceListing, read_source

__all__ = [
    "CopyRequest",
    "CopyResult",
    "IngestReport",
    "IngestRequest",
    "IngestRun",
    "ItemState",
    "Problem",
    "Progress",
    "SourceFile",
    "SourceListing",
    "copy_and_prove",
    "hash_file",
    "read_source",
]
