from .certificate import Certificate, FilmVerified, certificate_path, page_path, read_certificate, verify_film
from .check import FinalCheck, SourceCheck, final_check, what_is_used
from .estimate import FilmEstimate, estimate_film
from .findings import Finding, findings_of, larger_original
from .library import FILM_SETTINGS, film_schema, plain_film, settings_for
from .reach import why_only_here
from .render import make_film
from .request import FilmRequest, FilmResult
from .settings import FilmPicture, FilmSettings, FilmSound, cannot_be_made, describes_film

__all__ = [
    "FILM_SETTINGS",
    "Certificate",
    "FilmEstimate",
    "FilmPicture",
    "FilmRequest",
    "FilmResult",
    "FilmSettings",
    "FilmSound",
    "FilmVerified",
    "FinalCheck",
    "Finding",
    "SourceCheck",
    "cannot_be_made",
    "certificate_path",
    "describes_film",
    "estimate_film",
    "film_schema",
    "final_check",
    "findings_of",
    "larger_original",
    "make_film",
    "page_path",
    "plain_film",
    "read_certificate",
    "settings_for",
    "verify_film",
    "what_is_used",
    "why_only_here",
]
