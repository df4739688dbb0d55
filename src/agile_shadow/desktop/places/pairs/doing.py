"""What can be done with the chosen pairs: the menu, and what stands beside the pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QInputDialog, QMenu, QMessageBox

from ....core.amounts import counted
from ....core.errors import ShadowError, sentence
from ....core.pairs import Proxy
from ....core.presets import Preset
from ....core.project import Clip, Project, other_projects
from ....core.upkeep.making import make_request
from ....core.upkeep.removing import Removed, bring_back, remove_files, with_again, without
from ....core.upkeep.taking import accepted, unpair, with_offset
from ... import words
from ...work import Work
from .rows import Pair

if TYPE_CHECKING:
    from .place import PairsPlace


class PairCommands(QObject):
    """On behalf of the place. ``presets``: those that make proxies; ``chosen``: the pairs it is about."""

    def __init__(
        self, work: Work, place: PairsPlace, presets: Callable[[], list[Preset]], chosen: Callable[[], list[Pair]]
    ) -> None:
        super().__init__()
        self._work = work
        self._place = place
        self._presets = presets
        self._chosen = chosen

    def fill(self, menu: QMenu) -> None:
        """The lines of the menu, as it is possible now."""
        menu.clear()
        pairs = self._chosen()
        with_proxy = [pair for pair in pairs if pair.proxy is not None]
        video = [pair for pair in pairs if pair.clip.original.info.kind == "video"]
        made = [pair for pair in with_proxy if pair.proxy is not None and pair.proxy.made]
        seen = [pair for pair in pairs if pair.clip.original.info.kind != "sound"]  # large stills too, by the preset
        submenu = menu.addMenu(f"Make proxies of {len(seen)} with")
        submenu.setEnabled(bool(seen))
        for preset in self._presets():
            action = QAction(preset.name, submenu)
            action.triggered.connect(lambda _checked=False, preset=preset: self.make(preset))
            submenu.addAction(action)
        for text, call, possible in (
            ("Pair with a file…", self._place.pair_with_file, len(video) == 1),
            (f"Unpair {len(with_proxy)}", self.unpair, bool(with_proxy)),
            (f"Prove {len(with_proxy)}", self.prove, bool(with_proxy)),
            ("Pin to the other side, or unpin", self.pin, bool(video)),
            ("Tags…", self.ask_for_tags, bool(pairs)),
            ("Show the original in the file manager", lambda: self._place.goes_to.emit("show_original"), bool(pairs)),
            ("Show the proxy in the file manager", lambda: self._place.goes_to.emit("show_proxy"), bool(with_proxy)),
            (f"Remove {counted(len(made), 'proxy', 'proxies')}…", self.remove, bool(made)),
        ):
            action = QAction(text, menu)
            action.setEnabled(possible)
            action.triggered.connect(lambda _checked=False, call=call: call())
            menu.addAction(action)

    # For many

    def make(self, preset: Preset, clips: Sequence[str] = ()) -> None:
        """Make proxies of some clips, by default of the chosen ones."""
        session = self._work.session
        clips = tuple(clips) or tuple(pair.clip.id for pair in self._chosen())
        try:
            request = make_request(session.project, session.path.parent, clips, preset)
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            return
        self._work.asked.make(request)

    def make_again(self, clips: Sequence[str] = ()) -> None:
        """With the standing preset, else the first that makes proxies."""
        standing = self._work.session.project.preset
        known = [preset for preset in self._presets() if preset.proxies is not None]
        chosen = standing if standing is not None and standing.proxies is not None else next(iter(known), None)
        if chosen is None:
            self._work.problem.emit("No preset makes proxies. Create one in Presets first.")
            return
        self.make(chosen, clips)

    def unpair(self) -> None:
        """Part the chosen pairs; the files stay."""
        pairs = [(pair.clip.id, pair.proxy.file) for pair in self._chosen() if pair.proxy is not None]

        def change(project: Project) -> Project:
            for clip, file in pairs:
                project = unpair(project, clip, file)
            return project

        self._work.asked.keep_edit_lists()
        self._work.session.edit(f"Unpair {len(pairs)}", change)

    def prove(self) -> None:
        """Prove the chosen pairs, also those that are proven."""
        self._work.pairs.prove([pair.clip.id for pair in self._chosen() if pair.proxy is not None])

    def pin(self) -> None:
        """Pin the chosen clips to the other side; those that are pinned follow the switch again."""
        clips = [pair.clip.id for pair in self._chosen()]

        def change(project: Project) -> Project:
            other = "originals" if project.showing == "proxies" else "proxies"
            for identity in clips:
                clip = project.clip(identity)
                if clip is not None:
                    project = project.with_pin(identity, None if clip.pin else other)  # type: ignore[arg-type]
            return project

        self._work.session.edit("Pin", change)

    def ask_for_tags(self) -> None:
        """Words of one's own for the selected clips: what all of them have is shown, what is typed they have then."""
        pairs = self._chosen()
        if not pairs:
            self._work.told.emit("Select one or several pairs first.")
            return
        common = set(pairs[0].clip.tags).intersection(*(pair.clip.tags for pair in pairs))
        title = f"Tags of {counted(len(pairs), 'clip')}"
        text, good = QInputDialog.getText(self._place, title, "Words with commas between them", text=", ".join(
            sorted(common)))  # fmt: skip
        if good:
            self.set_tags([pair.clip.id for pair in pairs], common, text.split(","))

    def set_tags(self, clips: list[str], before: set[str], after: list[str]) -> None:
        """Give clips other tags in place of those that all of them had; their other tags stay."""

        def change(project: Project) -> Project:
            for identity in clips:
                clip = project.clip(identity)
                if clip is not None:
                    project = project.with_tags(identity, [*after, *(tag for tag in clip.tags if tag not in before)])
            return project

        self._work.session.edit("Tags", change)

    def remove(self) -> None:
        """Put the chosen proxies that this project made into the trash, after asking."""
        pairs = [(pair.clip, pair.proxy) for pair in self._chosen() if pair.proxy is not None and pair.proxy.made]
        size = words.gigabytes(sum(proxy.size for _clip, proxy in pairs))
        box = QMessageBox(self._place)
        box.setWindowTitle("Remove proxies")
        box.setText(f"Move {counted(len(pairs), 'proxy', 'proxies')} ({size}) to the trash?")
        box.setInformativeText(
            "Originals stay. Undo does not bring files back: use Bring back afterwards, or make the proxies again."
        )
        yes = box.addButton("Move to trash", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is not yes:
            return
        self._place.let_go_of_files()
        self._work.asked.keep_edit_lists()
        session = self._work.session

        def work() -> Removed:
            return remove_files(session.project, pairs, other_projects(session.path))

        self._work.in_background(work, self._removed)

    def _removed(self, removed: Removed) -> None:
        """What lies in the trash is a fact: no step of undo shows it as if it were there."""
        self._work.session.absorb(lambda now: without(now, removed))
        if removed.kept:
            more = f" ({len(removed.kept) - 1} more stay)" if len(removed.kept) > 1 else ""
            self._work.problem.emit(removed.kept[0] + more)
        if removed.paths and not removed.kept:
            gone = counted(len(removed.paths), "proxy is", "proxies are")
            self._work.offered.emit(f"{gone} in the trash.", (("Bring back", lambda: self._bring_back(removed)),))

    def _bring_back(self, removed: Removed) -> None:
        def then(answer: tuple[Any, tuple[str, ...]]) -> None:
            back, problems = answer
            self._work.session.absorb(lambda now: with_again(now, back))
            if problems:
                self._work.problem.emit(problems[0])

        self._work.in_background(lambda: bring_back(removed), then)

    # Beside the pictures

    def step(self, name: str, clip: Clip) -> None:
        """What was asked for one pair; see ProofPanel."""
        proxy = clip.proxies[-1] if clip.proxies else None
        if name == "make":
            self.make_again()
        elif proxy is not None:
            self._step_of_pair(name, clip, proxy)

    def _step_of_pair(self, name: str, clip: Clip, proxy: Proxy) -> None:
        session = self._work.session
        if name == "offset" and proxy.proof is not None and proxy.proof.better_offset is not None:
            better = proxy.proof.better_offset
            session.edit("Use offset", lambda project: with_offset(project, clip.id, proxy.file, better))
            self._work.pairs.prove([clip.id])
        elif name == "accept":
            session.edit("Accept as is", lambda project: accepted(project, clip.id, proxy.file))
        elif name == "prove":
            session.absorb(lambda footage: footage.without_proofs([clip.id]))
            self._work.pairs.prove([clip.id])
