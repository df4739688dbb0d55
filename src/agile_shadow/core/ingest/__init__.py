"""Ingest: reading a source, verified copying, the run of a preset over a source, its report."""

from .copying import CopyItem, CopyRequest, CopyResult, checksum_of, copy_and_prove, hash_file
from .gate import on_mains_power, waits_for
from .places import Context, needs_probe, original_places, proxy_place, token_values
from .report import IngestReport, Problem
from .request import IngestRequest
from .run import IngestRun, ItemState, Progress
from .source import SourceFile, SourceListing, read_source, taken

__all__ = [
    "Context",
    "CopyItem",
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
    "checksum_of",
    "copy_and_prove",
    "hash_file",
    "needs_probe",
    "on_mains_power",
    "original_places",
    "proxy_place",
    "read_source",
    "taken",
    "token_values",
    "waits_for",
]
