"""What is used of SciPy, loaded when it is first used: its parts take a second, and most starts never need them."""

from __future__ import annotations

from typing import Any


def fftconvolve(*arguments: Any, **named: Any) -> Any:
    """``scipy.signal.fftconvolve``."""
    from scipy.signal import fftconvolve as function

    return function(*arguments, **named)


def isotonic_regression(*arguments: Any, **named: Any) -> Any:
    """``scipy.optimize.isotonic_regression``."""
    from scipy.optimize import isotonic_regression as function

    return function(*arguments, **named)


def csr_matrix(*arguments: Any, **named: Any) -> Any:
    """``scipy.sparse.csr_matrix``."""
    from scipy.sparse import csr_matrix as function

    return function(*arguments, **named)


def min_weight_full_bipartite_matching(*arguments: Any, **named: Any) -> Any:
    """``scipy.sparse.csgraph.min_weight_full_bipartite_matching``."""
    from scipy.sparse.csgraph import min_weight_full_bipartite_matching as function

    return function(*arguments, **named)
