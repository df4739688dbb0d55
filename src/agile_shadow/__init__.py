"""Agile Shadow: proxies for video editors."""

__version__ = "0.1.0"
