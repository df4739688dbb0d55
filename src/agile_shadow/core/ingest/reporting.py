"""The values of an ingest's report, which the project keeps."""

from ..project.report import STEP_WORDS, IngestReport, Problem, ReportRow

__all__ = ["STEP_WORDS", "IngestReport", "Problem", "ReportRow"]
