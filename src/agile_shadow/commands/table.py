"""Which commands there are, with a line for the list of them; each is loaded when it is called."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Any

import typer
from typer.core import TyperGroup
from typer.main import get_command, get_group

NO_MEDIA = frozenset(  # these open no media file
    {"jobs", "presets", "shelves", "cards", "window", "install", "uninstall", "helpers", "--help"}
)


WORK = {  # what workers of a command need first: it is loaded for them while the command itself is
    "ingest": "agile_shadow.core.ingest.settling",
    "watch": "agile_shadow.core.ingest.settling",
    "export": "agile_shadow.core.film.render",
    "prove": "agile_shadow.core.proof.prover",
}


@dataclass(frozen=True)
class Lazy:
    """``module`` of this package and the ``attribute`` that is the command, a function, or an app with several.

    ``words``: the first sentence of its own help.
    """

    module: str
    attribute: str
    words: str

    def load(self, name: str) -> Any:
        """The command itself."""
        found = getattr(import_module(f"{__package__}.{self.module}"), self.attribute)
        if isinstance(found, typer.Typer):
            command: Any = get_group(found)  # also where it has but one command
        else:
            app = typer.Typer(rich_markup_mode=None, add_completion=False, pretty_exceptions_enable=False)
            app.command(name)(found)
            command = get_command(app)
        command.name = name
        return command


COMMANDS: dict[str, Lazy] = {
    "ingest": Lazy("ingesting", "ingest", "Run a preset over one or more sources."),
    "watch": Lazy("ingesting", "watch", "Watch folders of a project: DIR from now on too, each with its preset."),
    "report": Lazy(
        "ingesting", "report",
        "Print a report of the project, or write it as a page (.html) or a table (.csv).",
    ),
    "verify": Lazy(
        "ingesting", "verify",
        "Read every file that the ASC MHL manifests of a folder speak of, and compare its checksum.",
    ),
    "pair": Lazy(
        "pairing", "pair",
        "Find the proxies of a project's clips, or the originals of a project cut on proxies, by every "
        "kind of evidence.",
    ),
    "unpair": Lazy("pairing", "unpair", "Unpair proxies from their clips."),
    "prove": Lazy(
        "pairing", "prove",
        "Prove each pair of a project: by its data, its sound, and its picture against the neighbouring frames too.",
    ),
    "compare": Lazy(
        "pairing", "compare",
        "Compare two files as the halves of a pair: proven, doubtful or refused, and why.",
    ),
    "export": Lazy("films", "export", "Make a film of the timeline from the originals, read it back and verify it."),
    "handover": Lazy(
        "handing", "handover",
        "Hand the cut over to another tool; what the format leaves out is said first.",
    ),
    "bring-home": Lazy(
        "handing", "bring_home",
        "Match a timeline from another tool to the project's clips, and say how it differs from the one "
        "that is open.",
    ),
    "open-timeline": Lazy("handing", "open_timeline", "Make a project from a timeline of another tool."),
    "storage": Lazy(
        "storing", "storage",
        "Show what takes space on the shelves of a project, by kind, in bytes on the drive.",
    ),
    "tidy": Lazy("storing", "tidy", "Move files that this program made and can make again to the trash."),
    "cards": Lazy(
        "storing", "cards",
        "List the cards that were ingested, and what is known of each from its last asking.",
    ),
    "keep": Lazy("storing", "keep", "Read a shelf against what is recorded of its files."),
    "move": Lazy(
        "storing", "move",
        "Copy a whole project to another drive, every file read back; its shelves are there in the new "
        "project file.",
    ),
    "collect": Lazy(
        "storing", "collect",
        "Carry only what the cut uses: the files of the clips that any timeline shows or plays.",
    ),
    "frame": Lazy("cutting", "frame", "Write a frame of the timeline as a picture, from originals or from proxies."),
    "timeline": Lazy("cutting", "timeline", "List the tracks and blocks of a timeline."),
    "headroom": Lazy("measure", "headroom", "Measure how many times faster than their frame rate files decode here."),
    "estimate": Lazy("measure", "estimate", "Say what a preset would make of a source: sizes, bytes, time, headroom."),
    "trial": Lazy(
        "measure", "trial",
        "Make a few seconds for real with up to four presets: bytes, headroom and likeness of each.",
    ),
    "probe": Lazy("looking", "probe", "Show what each media file contains, and what is odd about it."),
    "clips": Lazy("looking", "clips", "List the clips of a project with their originals and proxies."),
    "shelves": Lazy(
        "looking", "shelves",
        "List your shelves, whether they are there, and their free space; or add one.",
    ),
    "demo-footage": Lazy("looking", "demo_footage", "Draw the demo card into a folder."),
    "presets": Lazy("presets", "app", "The presets there are."),
    "films": Lazy("films", "library", "The film settings there are."),
    "film": Lazy("films", "film", "A film that was made."),
    "timelines": Lazy("handing", "timelines", "The timelines of a project."),
    "jobs": Lazy("jobs", "app", "The queue: every copy, proxy and film, what it is at and how it ended."),
    "card": Lazy("storing", "card", "The cards that were ingested into a project."),
    "window": Lazy("desktop", "window", "Open the window."),
    "install": Lazy(
        "desktop", "install_for_user",
        "Put the command on the PATH and the program into the desktop's menu, with its icon and file types.",
    ),
    "uninstall": Lazy(
        "desktop", "uninstall_for_user", "Remove what install wrote; projects, presets and footage stay.",
    ),
    "helpers": Lazy("helpers", "app", "Several machines: helpers that make proxies on the shelves they see."),
    "kit": Lazy("kits", "app", "Travel kits: everything to continue cutting elsewhere, in one folder."),
}


class LateGroup(TyperGroup):
    """A group that lists its commands from the table and loads the one that is called."""

    def list_commands(self, ctx: Any) -> list[str]:
        """The names, in the order of the table."""
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        """The command, loaded; None for a name that is none."""
        late = COMMANDS.get(cmd_name)
        return late.load(cmd_name) if late is not None else None

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Names and first sentences, with nothing loaded."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, late.words) for name, late in COMMANDS.items()])
