"""Export: the final check, and the film from the originals."""

from .check import FinalCheck, SourceCheck, final_check, what_is_used
from .render import ExportRequest, ExportResult, run_export

__all__ = ["ExportRequest", "ExportResult", "FinalCheck", "SourceCheck", "final_check", "run_export", "what_is_used"]
