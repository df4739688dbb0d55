"""A real window that ingests a card: to be killed."""

from __future__ import annotations

import os
import sys
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QTimer

from agile_shadow.core.ingest import IngestRequest
from agile_shadow.core.presets import find_preset
from agile_shadow.core.project import ProjectSession
from agile_shadow.desktop.starting import folders_for, make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work

project, card, folder = map(Path, sys.argv[1:])
app = make_app(["faults"])
work = Work(ProjectSession.open(project))
window = MainWindow(work, folders_for(project, False), start_sound=False, measure=False)
window.show()
request = IngestRequest(card, folder / "o", folder / "p", find_preset(str(folder / "preset.json")), folder / "s")


def begin() -> None:
    work.asked.start_ingest(request)
    print("begun", flush=True)


QTimer.singleShot(0, begin)
sys.exit(app.exec())
