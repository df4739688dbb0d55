"""Pairs: the ledger of originals and their proxies, the proof between them, and finding what belongs together."""

from .place import PairsPlace

__all__ = ["PairsPlace"]
