"""What is measured against the machine's own limit: proofs by signature, the start, and a plain shell script.

``./shadow bench signatures|sketches|single|starts|plain``.
"""

from __future__ import annotations

import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

from tests.pairs import in_order

from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.media.sequence import status
from agile_shadow.core.media.signature import kept_signature, signature_place
from agile_shadow.core.media.sketch import MOST, SketchRequest, kept_sketch, make_sketch
from agile_shadow.core.pairs import FileRef, Original
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.playback import ClipProgram, Player
from agile_shadow.core.presets import Originals, Preset, Proxies, When, save_preset
from agile_shadow.core.project import Clip, new_project
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.core.shelves import Shelf
from agile_shadow.stand_ins.elsewhere import Derived, DrawnClip, write_original, write_proxy
from footage import demo_card, heavy_clip
from ingest import run_over

Measured = Iterator[tuple[str, float, float, str]]
_ROUNDS = 4
_QUARTER = Proxies(codec="dnxhr-lb", scale=Fraction(1, 4))


def quiet(done: float) -> None:
    """Nobody looks."""


def _seconds(work: Callable[[], object]) -> tuple[float, float]:
    """(seconds, processor seconds) that something takes, its processes included."""
    begun, before = time.perf_counter(), _processor()
    work()
    return time.perf_counter() - begun, _processor() - before


def _processor() -> float:
    both = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    return sum(one.ru_utime + one.ru_stime for one in both)


def measure_signatures(folder: Path) -> Measured:
    """Making with and without, side by side; the proof of what was made; what is kept."""
    clip = heavy_clip(folder)
    info = probe(clip)
    place = signature_place(clip, *status(clip))
    taken: dict[str, list[tuple[float, float]]] = {"plain": [], "signed": [], "proof": []}
    for number in range(_ROUNDS):
        for what in ("plain", "signed"):
            place.unlink(missing_ok=True)
            target = folder / f"{what}{number}.mov"
            request = ProxyRequest(clip, target, _QUARTER, info, sign=what == "signed")
            taken[what].append(_seconds(lambda request=request: make_proxy(request, quiet)))  # type: ignore[misc]
        halves = Half(clip, info), Half(target, probe(target))
        taken["proof"].append(_seconds(lambda halves=halves: prove(ProveRequest(*halves, made=True), quiet)))  # type: ignore[misc]
    least = {what: [min(one[at] for one in found) for at in (0, 1)] for what, found in taken.items()}
    for at, unit in enumerate(("time", "processor time")):
        ratio = least["signed"][at] / least["plain"][at]
        yield f"making a quarter-size dnxhr-lb proxy with a signature, against without, {unit}", ratio, 1.03, ""
        yield f"its proof afterwards, against the making, {unit}", least["proof"][at] / least["signed"][at], 0.1, ""
    signature = kept_signature(clip)
    assert signature is not None
    hour = place.stat().st_size / info.frames * 3600 * 25 / 1e6
    yield "signature of an hour of such clips of 3 s at 25 frames per second", hour, 250, " MB"
    yield "the part of it that grows with the frames", signature.size / info.frames * 90_000 / 1e6, 40, " MB"


# Sketches


def measure_sketches(folder: Path) -> Measured:
    """Key frames of a heavy clip against making its proxy; how soon something of a standing frame is to be seen."""
    clip = heavy_clip(folder)
    info = probe(clip)
    making, taking = [], []
    for number in range(_ROUNDS):
        request = ProxyRequest(clip, folder / f"beside{number}.mov", _QUARTER, info)
        making.append(_seconds(lambda request=request: make_proxy(request, quiet)))  # type: ignore[misc]
        taking.append(_seconds(lambda: make_sketch(SketchRequest(clip), quiet)))
    for at, unit in enumerate(("time", "processor time")):
        ratio = min(one[at] for one in taking) / min(one[at] for one in making)
        yield f"key frames of a UHD clip, against making its quarter-size proxy, {unit}", ratio, 0.12, ""
    sketch = kept_sketch(clip)
    assert sketch is not None
    yield "room for the sketch of an hour of it", len(sketch.to_bytes()) / len(sketch.times) * MOST / 1e6, 10, " MB"
    first, whole = _until_seen(clip, info, folder)
    yield "a standing frame of it, until its key frame is to be seen", 1000 * first, 100, " ms"
    yield "the same, against until the frame itself is", first / whole, 0.2, ""


def _until_seen(clip: Path, info: MediaInfo, folder: Path) -> tuple[float, float]:
    """Seconds until the first picture of a standing frame, and until the frame itself: the medians of leaps."""
    project = new_project("Sketches")
    shelf = Shelf("s", "Here", "originals", clip.parent)
    original = Original(FileRef("s", clip.name), info, *status(clip))
    one = Clip("c", "Heavy", original)
    project = project.but(shelves=(shelf,), clips=(one,))
    came = threading.Event()
    player = Player(came.set)
    player.set_view(960, 540)
    firsts, wholes = [], []
    try:
        player.show(ClipProgram.of(one), project)
        for number in (20, 60, 5, 45, 70):
            begun, seen = time.perf_counter(), []
            player.seek(number)
            while not seen or seen[-1][1]:
                came.wait(30)
                came.clear()
                picture = player.take_due()
                if picture is not None and picture.frame == number:
                    seen.append((time.perf_counter() - begun, picture.sketch))
            firsts.append(seen[0][0])
            wholes.append(seen[-1][0])
    finally:
        player.close()
    return statistics.median(firsts), statistics.median(wholes)


# One wrong frame

KINDS = ("right", "right", "one beside", "one elsewhere", "shift", "drop", "take", "sound")


def measure_single(folder: Path, count: int = 25, width: int = 320) -> Measured:
    """Each kind of fault so many times, in proxies made here and in foreign ones: what is found, what is doubted.

    ``width``: pixels of the drawn originals; their proxies have half of it.
    """
    for ours in (True, False):
        table: dict[str, Counter[str]] = {}
        with ProcessPoolExecutor(2) as pool:
            found = pool.map(partial(_one, root=folder, ours=ours, width=width), range(count * len(KINDS)), chunksize=4)
            for kind, state in found:
                table.setdefault(kind, Counter())[state] += 1
        who = "made here" if ours else "from elsewhere"
        for kind, states in sorted(table.items()):
            print(f"  {who}, {kind}: " + ", ".join(f"{state} {number}" for state, number in sorted(states.items())))
            wrong = states["doubtful"] + states["refused"]
            if kind.startswith("right"):
                yield f"right ones that were doubted, {who}, {kind}", wrong, 0, ""
            else:
                yield f"faults not found, {who}, {kind}", sum(states.values()) - wrong, 0, ""


def _one(number: int, root: Path, ours: bool, width: int) -> tuple[str, str]:
    rng = random.Random(number * 31 + 7)
    kind = KINDS[number % len(KINDS)]
    motion: Any = rng.choice(["objects", "objects", "pan", "handheld"])
    clip = DrawnClip("a.mov", rng.randrange(1 << 30), rng.randrange(1 << 30), rng.randint(70, 140),
                 rng.choice([Fraction(25), Fraction(50), Fraction(24000, 1001)]), motion, (width, width * 9 // 16),
                 start=90_000)  # fmt: skip
    hard = not ours and rng.random() < 0.3
    made = Derived("p.mov", 0) if ours else Derived(
        "p.mov", 0, hard=hard, graded=rng.choice([None, 0, 1, 2, 3]), burnt=rng.random() < 0.4,
        trim=rng.randint(1, 30) if rng.random() < 0.3 else 0,
    )  # fmt: skip
    at = rng.randrange(made.trim + 1, clip.frames - 1)
    faults: dict[str, dict[str, Any]] = {
        "one beside": {"astray": (at, at + rng.choice([-1, 1]))}, "shift": {"shift": rng.choice([1, -1])},
        "one elsewhere": {"astray": (at, (at + clip.frames // 2) % clip.frames)},
        "take": {"stranger": replace(clip, take=clip.take + 1)},
        "drop": {"dropped": (clip.frames + made.trim) // 2 + rng.randint(-8, 8)}, "sound": {"exchanged": True},
    }  # fmt: skip
    made = replace(made, **faults.get(kind, {}))
    folder = root / f"{number} {ours}"
    path = write_original(clip, folder)
    info = probe(path)
    make_proxy(ProxyRequest(path, folder / "signs.mov", Proxies(codec="h264"), info), quiet)
    if ours:
        source = _gone_wrong(made, clip, path, folder)
        wanted = Proxies(codec=rng.choice(["h264", "prores-proxy", "mjpeg"]), scale=Fraction(1, 2))
        proxy = make_proxy(ProxyRequest(source, folder / "made.mov", wanted, probe(source), sign=False), quiet).path
    else:
        proxy = write_proxy(made, [clip], folder)
    halves = Half(path, info), Half(proxy, probe(proxy))
    result = prove(ProveRequest(*halves, made.trim, made=ours), quiet)
    shutil.rmtree(folder, ignore_errors=True)
    return kind + (", packed hard" if hard else ""), result.state


def _gone_wrong(fault: Derived, clip: DrawnClip, path: Path, folder: Path) -> Path:
    """What the making would have had in its hands, had it gone wrong: the original's own frames, none packed again with
    loss, in another order."""
    if fault.exchanged:
        return write_proxy(replace(fault, scale=Fraction(1)), [clip], folder)
    if fault.stranger is not None:
        return write_original(fault.stranger, folder / "stranger")
    numbers = [min(max(0, number + fault.shift), clip.frames - 1) for number in range(clip.frames)]
    if fault.dropped is not None:
        numbers = [*numbers[: fault.dropped], *numbers[fault.dropped + 1 :], numbers[-1]]
    if fault.astray is not None:
        numbers[fault.astray[0]] = fault.astray[1]
    return path if numbers == list(range(clip.frames)) else in_order(path, numbers, folder / "wrong.mov")


# The start

_WINDOW = """
import gc, sys, time, os
gc.disable()  # as the program's start does
begun = float(sys.argv[2])
from pathlib import Path
from agile_shadow.desktop import starting as start
from PySide6.QtCore import QEvent, QObject, QTimer
app = start.make_app(sys.argv[:1])
window = start.open_window(Path(sys.argv[1]))
told = {}
class Painted(QObject):
    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint:
            QTimer.singleShot(0, lambda: told.setdefault("painted", time.time() - begun))
        return False
painted = Painted()
window.centralWidget().installEventFilter(painted)
window.places.all_built.connect(lambda: (told.setdefault("built", time.time() - begun), app.quit()))
window.show()
app.exec()
print(told["painted"], told["built"], flush=True)
os._exit(0)
"""


def measure_starts(folder: Path) -> Measured:
    """Warm: the window with a project, and two commands."""
    project = folder / "start" / "film.otio"
    project.parent.mkdir()
    card = demo_card()
    chosen = Preset(name="Bench", originals=Originals(do="leave"), proxies=None)
    run_over(card, project.parent, project.stem, chosen)
    found = next(project.parent.rglob("*.otio"))
    painted, built = [], []
    for _round in range(6):  # the first one compiles
        done = subprocess.run([sys.executable, "-c", _WINDOW, str(found), str(time.time())], capture_output=True,
                              text=True, check=True, env=_compiled())  # fmt: skip
        first, last = map(float, done.stdout.split()[-2:])
        painted.append(first)
        built.append(last)
    nothing = min(_command([]) for _round in range(5))
    yield "start: the window with a project is painted", min(painted), 1.0, " s"
    yield "start: all places are built", min(built), 1.5, " s"
    yield "the same against an interpreter that loads numpy, av and the toolkit", min(painted) / _bare(), 1.6, ""
    for words, wanted in ((["--help"], 0.3), (["jobs", "list"], 0.6)):
        taken = min(_command(["-m", "agile_shadow.cli", *words]) for _round in range(5))
        yield f"agile-shadow {' '.join(words)} (an empty interpreter: {nothing:.2f} s)", taken, wanted, " s"


def _compiled() -> dict[str, str]:
    """The environment of a usual start: compiled modules are kept, whatever this shell says of it."""
    kept = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    return {**kept, "PYTHONPYCACHEPREFIX": os.environ["AGILE_SHADOW_HOME"] + "/compiled"}


def _command(words: list[str]) -> float:
    begun = time.perf_counter()
    subprocess.run([sys.executable, *(words or ["-c", "pass"])], capture_output=True, check=True, env=_compiled())
    return time.perf_counter() - begun


def _bare() -> float:
    code = "import numpy, av, pydantic\nfrom PySide6.QtWidgets import QApplication\nQApplication([])"
    return min(_command(["-c", code]) for _round in range(5))


# The plain way

_SCRIPT = """
set -e
mkdir -p "$2" "$3"
cp -r "$1"/. "$2"
sync
(cd "$1" && find . -type f -print0 | sort -z | xargs -0 md5sum) > "$3/card.md5"
(cd "$2" && md5sum --quiet -c "$3/card.md5")
find "$2" -type f -size +0 | grep -iE '[.](mov|mp4|mxf|mts)$' | while read -r file; do
  name="$3/$(basename "$file").mov"
  ffmpeg -nostdin -loglevel error -y -i "$file" -vf "scale=iw/4:ih/4:flags=area,format=yuv422p" \\
    -c:v dnxhd -profile:v dnxhr_lb -c:a pcm_s24le -map 0:v:0 -map '0:a?' "$name" || rm -f "$name"
done
"""


def measure_plain(folder: Path, rounds: int = 3) -> Measured:
    """The whole of an ingest of the demo's card against a shell script that copies, compares and converts."""
    if shutil.which("ffmpeg") is None:
        print("  the command ffmpeg is not installed: nothing to compare with", flush=True)
        return
    card, script = demo_card(), folder / "plain.sh"
    script.write_text(_SCRIPT)
    preset = Preset(
        name="Plain", originals=Originals(checksum="md5", manifest=False), proxies=_QUARTER, when=When(at_a_time=2)
    )
    chosen = save_preset(preset, folder / "preset.json")
    ratios: list[tuple[float, float]] = []
    for number in range(rounds):
        with tempfile.TemporaryDirectory(dir=folder) as place:
            base = Path(place)
            mine = _seconds(lambda base=base: _ingest(card, base, chosen))  # type: ignore[misc]
            theirs = _seconds(lambda base=base: subprocess.run(  # type: ignore[misc]
                ["bash", str(script), str(card), str(base / "copy"), str(base / "light")], check=True))  # fmt: skip
        ratios.append((mine[0] / theirs[0], mine[1] / theirs[1]))
        print(f"  round {number + 1}: {mine[0]:.1f} s and {mine[1]:.1f} s of processors; the script {theirs[0]:.1f} and"
              f" {theirs[1]:.1f}", flush=True)  # fmt: skip
    yield "ingest of the demo's card against a shell script, time", statistics.median(r[0] for r in ratios), 0.95, ""
    yield "the same, processor time", statistics.median(r[1] for r in ratios), 1.05, ""


def _ingest(card: Path, base: Path, chosen: Path) -> None:
    command = [sys.executable, "-m", "agile_shadow.cli", "ingest", str(card), "--project", str(base / "film.otio"),
               "--preset", str(chosen), "--originals", str(base / "o"), "--proxies", str(base / "p")]  # fmt: skip
    own = {**_compiled(), "AGILE_SHADOW_HOME": str(base / "home")}
    subprocess.run(command, capture_output=True, check=False, env=own)
