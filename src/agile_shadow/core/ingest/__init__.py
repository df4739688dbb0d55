"""Ingest: reading a source, verified copying, the run of a preset over a source, its report."""

from .copying import CopyItem, CopyRequest, CopyResult, checksum_of, copy_and_prove, hash_file
from .forecast import Forecast, forecast, measure_sample, samples_of
from .gate import on_mains_power, waits_for
from .places import Context, needs_probe, original_places, proxy_place, token_values
from .report import IngestReport, Problem
from .request import IngestRequest, request_for
from .run import IngestRun, ItemState, Progress
from .source import SourceFile, SourceListing, read_source, taken

__all__ = [
    "Context",
    "CopyItem",
    "CopyRequest",
    "CopyResult",
    "Forecast",
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
    "forecast",
    "hash_file",
    "measure_sample",
    "needs_probe",
    "on_mains_power",
    "original_places",
    "proxy_place",
    "read_source",
    "request_for",
    "samples_of",
    "taken",
    "token_values",
    "waits_for",
]
