from .candidates import CandidatesRequest, ProxyCandidate, keep_candidates, kept_candidates, measure_candidates
from .estimating import ClipForecast, Estimate, estimate, forecast_clip, has_alpha
from .hardware import (
    Decoders,
    HardwareRequest,
    HardwareVerdict,
    can_be_measured,
    given_up,
    kind_of,
    measure_hardware,
)
from .headroom import (
    Headroom,
    HeadroomRequest,
    headroom_of,
    headroom_under,
    keep_headroom,
    kept_headroom,
    measure_headroom,
)
from .kinds import Kind, Sample, kinds_of, usual_kinds
from .measurements import KeptValue, Measurements, file_key, key_of
from .need import gets_proxy, is_large_still, needs_headroom, needs_proxy
from .numbers import Number
from .taste import Taste, TasteRequest, keep_taste, measure_taste, taste_under
from .trial import MOST, TrialRequest, TrialResult, run_trial, stretch, trial_requests

__all__ = [
    "MOST",
    "CandidatesRequest",
    "ClipForecast",
    "Decoders",
    "Estimate",
    "HardwareRequest",
    "HardwareVerdict",
    "Headroom",
    "HeadroomRequest",
    "KeptValue",
    "Kind",
    "Measurements",
    "Number",
    "ProxyCandidate",
    "Sample",
    "Taste",
    "TasteRequest",
    "TrialRequest",
    "TrialResult",
    "can_be_measured",
    "estimate",
    "file_key",
    "forecast_clip",
    "gets_proxy",
    "given_up",
    "has_alpha",
    "headroom_of",
    "headroom_under",
    "is_large_still",
    "keep_candidates",
    "keep_headroom",
    "keep_taste",
    "kept_candidates",
    "kept_headroom",
    "key_of",
    "kind_of",
    "kinds_of",
    "measure_candidates",
    "measure_hardware",
    "measure_headroom",
    "measure_taste",
    "needs_headroom",
    "needs_proxy",
    "run_trial",
    "stretch",
    "taste_under",
    "trial_requests",
    "usual_kinds",
]
