"""Ingest: where footage comes from, what is there, the preset, one button; then the run and its report."""

from .place import IngestPlace

__all__ = ["IngestPlace"]
