from .board import ItemState, Progress
from .copying import CopyItem, CopyRequest, CopyResult, copy_and_prove
from .forecasting import Forecast, forecast, measure_sample, samples_of
from .gate import on_mains_power, waits_for
from .inspecting import Inspection, InspectRequest, inspect, poster_in_cache
from .pages import PageRequest, as_csv, as_html, poster_place, refuse_ending, write_page, write_report
from .places import Context, needs_probe, original_places, proxy_place, token_values
from .reporting import STEP_WORDS, IngestReport, Problem, ReportRow
from .request import ONE_DRIVE, IngestRequest, request_for
from .run import IngestRun
from .settling import BriefRequest, brief_of, settle, settled, to_be_opened
from .sketching import Sketching, wants_sketch
from .source import SourceFile, SourceListing, read_source, taken
from .sources import MountedPlace, mounted_places, mounts_text
from .verifying import Verified, verify_folder
from .watched import Watch, stop_watching, watch_folder, watched_folders

__all__ = [
    "ONE_DRIVE",
    "STEP_WORDS",
    "BriefRequest",
    "Context",
    "CopyItem",
    "CopyRequest",
    "CopyResult",
    "Forecast",
    "IngestReport",
    "IngestRequest",
    "IngestRun",
    "InspectRequest",
    "Inspection",
    "ItemState",
    "MountedPlace",
    "PageRequest",
    "Problem",
    "Progress",
    "ReportRow",
    "Sketching",
    "SourceFile",
    "SourceListing",
    "Verified",
    "Watch",
    "as_csv",
    "as_html",
    "brief_of",
    "copy_and_prove",
    "forecast",
    "inspect",
    "measure_sample",
    "mounted_places",
    "mounts_text",
    "needs_probe",
    "on_mains_power",
    "original_places",
    "poster_in_cache",
    "poster_place",
    "proxy_place",
    "read_source",
    "refuse_ending",
    "request_for",
    "samples_of",
    "settle",
    "settled",
    "stop_watching",
    "taken",
    "to_be_opened",
    "token_values",
    "verify_folder",
    "waits_for",
    "wants_sketch",
    "watch_folder",
    "watched_folders",
    "write_page",
    "write_report",
]
