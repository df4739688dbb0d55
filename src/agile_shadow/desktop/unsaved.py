"""The question when a project cannot be saved at closing."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

Answer = Literal["again", "elsewhere", "without", "stay"]


def ask_unsaved(parent: QWidget, problem: str, may_stay: bool) -> Answer:
    """What is to be done about a project that is not saved."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.Warning)
    box.setWindowTitle("Not saved")
    box.setText("The project could not be saved.")
    box.setInformativeText(f"{problem}\n\nNothing is lost while it stays open.")
    answers: dict[object, Answer] = {
        box.addButton("Retry", QMessageBox.ButtonRole.AcceptRole): "again",
        box.addButton("Save elsewhere…", QMessageBox.ButtonRole.ActionRole): "elsewhere",
        box.addButton("Close without saving", QMessageBox.ButtonRole.DestructiveRole): "without",
    }
    if may_stay:
        stay = box.addButton("Keep open", QMessageBox.ButtonRole.RejectRole)
        answers[stay] = "stay"
        box.setEscapeButton(stay)
    box.setDefaultButton(next(iter(answers)))  # type: ignore[call-overload]
    box.exec()
    return answers.get(box.clickedButton(), "stay" if may_stay else "again")


def ask_where(parent: QWidget, project: Path) -> Path | None:
    """Where to save it instead; None when nothing was chosen."""
    chosen, _filter = QFileDialog.getSaveFileName(parent, "Save elsewhere", project.name, "Projects (*.otio)")
    return Path(chosen).with_suffix(".otio") if chosen else None
