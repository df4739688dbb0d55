"""Files from elsewhere and kills: nothing false, nothing lost, nothing outside the shelves touched.

``./shadow bench --hostile [PART]`` makes thousands of changed projects, presets, manifests and media, has the program
do with them what a person would, and counts: tracebacks, unforeseen errors, what took over ten seconds or a gigabyte,
and what was opened, written or removed outside (seen by a preload, not believed). Then it kills the writing of
manifests and saves, and ingests with two copies, and looks at what the next run makes of it.
"""

from __future__ import annotations

import base64
import contextlib
import copy
import io
import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import traceback
import zlib
from collections import Counter
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).parent.parent))

from agile_shadow import cli
from agile_shadow.core.below import Anchor
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.files import is_partial
from agile_shadow.core.hashing import hash_file
from agile_shadow.core.ingest import IngestRequest, IngestRun, read_source, verify_folder
from agile_shadow.core.ingest.copying import Proved
from agile_shadow.core.ingest.manifest import write_manifest
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.log import set_up_logging
from agile_shadow.core.presets import Originals, Preset, Proxies, save_preset
from agile_shadow.core.project import ProjectSession, load_project
from agile_shadow.core.timeline import Targets, append

SMALL = Preset(name="Hostile", proxies=Proxies(codec="h264", scale=Fraction(1, 2)))
FULL = Preset(
    name="Kills",
    originals=Originals(second_copy=True, manifest=True),
    proxies=Proxies(codec="h264", scale=Fraction(1, 2), second_copy=True),
)
LONG, LARGE = 10.0, 1 << 30  # seconds, bytes
AT_ONCE = 2


def draw(path: Path, frames: int = 6, codec: str = "libx264", kind: str = "mov", sound: bool = True) -> Path:
    """A small clip."""
    path.parent.mkdir(parents=True, exist_ok=True)
    noise = np.random.default_rng(len(path.name) + frames)
    with av.open(str(path), "w", format=kind) as out:
        stream = out.add_stream(codec, rate=25)
        stream.width, stream.height = 192, 108
        stream.pix_fmt = {"mjpeg": "yuvj420p", "prores_ks": "yuv422p10le", "ffv1": "yuv420p"}.get(codec, "yuv420p")
        tone = out.add_stream("pcm_s16le", rate=48_000, layout="mono") if sound else None
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(noise.integers(0, 255, (108, 192, 3), np.uint8))
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if tone is not None:
            samples = av.AudioFrame.from_ndarray(np.zeros((1, 1920 * frames), np.int16), layout="mono")
            samples.sample_rate = 48_000
            out.mux(tone.encode(samples))
            out.mux(tone.encode(None))
    return path


# What is changed


def mutated_bytes(content: bytes, chance: random.Random) -> bytes:
    """Some bytes changed, lost, doubled, or the end cut off."""
    data = bytearray(content)
    for _ in range(chance.choice((1, 1, 3, 20))):
        if not data:
            break
        at = chance.randrange(len(data))
        how = chance.randrange(5)
        if how == 0:
            data[at] ^= 1 << chance.randrange(8)
        elif how == 1:
            del data[at : at + chance.randrange(1, 60)]
        elif how == 2:
            data[at:at] = chance.randbytes(chance.randrange(1, 30))
        elif how == 3:
            data[at : at + 4] = chance.choice((b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff"))
        else:
            del data[at:]
    return bytes(data)


ODD: list[Any] = [
    None,
    True,
    0,
    -1,
    2**63,
    10**400,
    1e308,
    -0.5,
    "",
    "x" * 5000,
    "1e999999999",
    "1/0",
    "9" * 200,
    "\ud800",
    "../../x",
    "/etc/passwd",
    [],
    {},
    [[]],
    {"a": {"b": [1]}},
    "NaN",
    "%04d",
    "a + b.mov",
    "\0",
    "=1+1",
    "<b>&",
]


def mutated_values(values: Any, chance: random.Random, more: list[Any]) -> Any:
    """Plain values with some of them, anywhere, exchanged, doubled or gone."""
    values = copy.deepcopy(values)
    for _ in range(chance.choice((1, 1, 2, 6))):
        holder, key = _somewhere(values, chance)
        if holder is None:
            return chance.choice(ODD)
        how = chance.randrange(6)
        if how < 3:
            holder[key] = copy.deepcopy(chance.choice([*ODD, *more]))
        elif how == 3:
            del holder[key]
        elif how == 4 and isinstance(holder[key], list) and holder[key]:
            holder[key] = holder[key] * chance.choice((2, 50))
        else:
            other, name = _somewhere(values, chance)
            if other is not None:
                holder[key] = copy.deepcopy(other[name])
    return values


def _somewhere(values: Any, chance: random.Random) -> tuple[Any, Any]:
    at, found = values, (None, None)
    while isinstance(at, dict | list) and at:
        key = chance.choice(list(at)) if isinstance(at, dict) else chance.randrange(len(at))
        found = (at, key)
        if chance.random() < 0.12:
            break
        at = at[key]
    return found


# What is done with it, in a child process under the preload


class Child:
    """Does one part for some numbers, and writes a line of JSON for each."""

    def __init__(self, world: Path, out: Path) -> None:
        self.world = world
        self.out = out.open("a")
        self.trap = world / "trap"

    def each(self, numbers: range, work: Callable[[int, random.Random], str]) -> None:
        for number in numbers:
            begun = time.monotonic()
            signal.alarm(60)
            trace, outcome = "", ""
            said = io.StringIO()
            try:
                with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
                    outcome = work(number, random.Random(number))
            except BaseException:
                trace = traceback.format_exc()
            signal.alarm(0)
            if "Traceback" in said.getvalue():
                trace = trace or said.getvalue()
            took = time.monotonic() - begun
            line = {
                "number": number,
                "seconds": took,
                "outcome": outcome,
                "trace": trace[-1500:],
                "unforeseen": said.getvalue().count("unforeseen"),
            }
            if line["unforeseen"]:
                line["trace"] = line["trace"] or said.getvalue()[-600:]
            self.out.write(json.dumps(line) + "\n")
            self.out.flush()

    def run(self, *arguments: object) -> int:
        return cli.run([*map(str, arguments)])

    def project(self, number: int, chance: random.Random) -> str:
        base = self.world / "film"
        path = self.world / f"mutated {number}.otio"
        text = (base / "p.otio").read_text()
        if chance.random() < 0.3:
            path.write_bytes(mutated_bytes(text.encode(), chance))
        else:
            more = [str(self.trap / "secret.mov"), str(self.trap / "secret.txt"), "trap/../../trap/secret.mov"]
            path.write_text(json.dumps(mutated_values(json.loads(text), chance, more)))
        try:
            accepted = self.run("clips", "--project", path, "--json") == 0
            self.run("timeline", "--project", path, "--json")
            picture = self.world / f"f{number}.png"
            self.run("frame", "--project", path, "--at", "00:00:00:02", "--side", "original", "--out", picture)
            self.run("report", "--project", path, "--out", self.world / f"r{number}.html", "--json")
            if accepted:
                session = ProjectSession.open(path)
                session.edit("name", lambda project: project.but(name="changed"))
                session.close()
                load_project(path)
            return "accepted" if accepted else "refused"
        finally:
            for left in (path, self.world / f"f{number}.png", self.world / f"r{number}.html"):
                left.unlink(missing_ok=True)
            shutil.rmtree(path.with_name(f"{path.stem} - earlier saves"), ignore_errors=True)

    def preset(self, number: int, chance: random.Random) -> str:
        path = self.world / f"preset {number}.json"
        base = json.loads((self.world / "preset.json").read_text())
        more: list[Any] = ["at-night", "{reel}", "{name}/../x", "h264", "1/3", 0.5, 100, "beside", "project", "size"]
        path.write_text(json.dumps(mutated_values(base, chance, more)))
        accepted = self.run("presets", "check", path, "--json") == 0
        if accepted and number % 5 == 0:
            self.run("estimate", self.world / "Card", "--preset", path, "--json")
        if accepted and number % 2 == 0:
            folder = self.world / f"run {number}"
            self.run(
                "ingest",
                self.world / "Card",
                "--preset",
                path,
                "--project",
                folder / "p.otio",
                "--now",
                "--originals",
                folder / "o",
                "--proxies",
                folder / "p",
                "--second",
                folder / "s",
                "--json",
            )
            shutil.rmtree(folder, ignore_errors=True)
        path.unlink()
        return "accepted" if accepted else "refused"

    def manifest(self, number: int, chance: random.Random) -> str:
        root = self.world / f"shelf {number}"
        shutil.copytree(self.world / "shelf", root)
        for path in sorted((root / "ascmhl").iterdir()):
            if chance.random() < 0.7:
                path.write_bytes(mutated_bytes(path.read_bytes(), chance))
        if chance.random() < 0.3:  # a manifest that leads elsewhere, its chain in order
            (chain,) = (root / "ascmhl").glob("*.xml")
            chain.unlink()
            (manifest,) = (root / "ascmhl").glob("*.mhl")
            where = chance.choice(("../trap/secret.txt", str(self.trap / "secret.txt"), "link/secret.txt"))
            manifest.write_bytes(
                (self.world / "shelf" / "ascmhl" / manifest.name).read_bytes().replace(b"a.mov", where.encode())
            )
            (root / "link").symlink_to(self.trap)
        outcome = "accepted" if self.run("verify", root, "--json") == 0 else "refused"
        with contextlib.suppress(ShadowError, OSError):
            write_manifest(Anchor.of(root), [_proof(root / "a.mov")], "xxh128")
        shutil.rmtree(root)
        return outcome

    def media(self, number: int, chance: random.Random) -> str:
        """Twenty changed files in one ingest with proxies."""
        card = self.world / f"card {number}"
        kinds = sorted((self.world / "kinds").iterdir())
        for k in range(20):
            kind = kinds[(number * 20 + k) % len(kinds)]
            target = card / f"{k:02d}{kind.suffix}"
            target.parent.mkdir(exist_ok=True)
            target.write_bytes(mutated_bytes(kind.read_bytes(), chance))
        before = {path.name: path.read_bytes() for path in card.iterdir()}
        folder = self.world / f"run {number}"
        status = self.run(
            "ingest",
            card,
            "--preset",
            self.world / "small.json",
            "--project",
            folder / "p.otio",
            "--originals",
            folder / "o",
            "--proxies",
            folder / "p",
            "--json",
        )
        clips = load_project(folder / "p.otio").clips if (folder / "p.otio").exists() else ()
        assert before == {path.name: path.read_bytes() for path in card.iterdir()}, "an original was written to"
        for path in (folder / "o").rglob("*"):
            assert (
                not path.is_file()
                or is_partial(path.name)
                or path.name.startswith(".")
                or path.read_bytes() in (before.values())
            ), path
        shutil.rmtree(card)
        shutil.rmtree(folder)
        assert status in (0, 1), status
        return " ".join(["accepted"] * len(clips) + ["refused"] * (len(before) - len(clips)))


def _proof(path: Path) -> Proved:
    return Proved(path, path, hash_file(path, "xxh128"))


# The parent


def build_world(world: Path) -> None:
    """A project with two clips, a cut and a report; a shelf with a manifest; a preset with everything; a trap."""
    draw(world / "Card" / "a.mov")
    draw(world / "Card" / "b.mov", 8)
    trap = world / "trap"
    draw(trap / "secret.mov")
    (trap / "secret.txt").write_text("nobody's business")
    session = ProjectSession.open(world / "film" / "p.otio")
    request = IngestRequest(world / "Card", world / "film" / "o", world / "film" / "p", SMALL)
    IngestRun(request, session, JobStore(), now=True).run()
    clip = session.project.clips[0]

    def cut(project: Any) -> Any:
        project = project.with_timeline_settings_of(clip)
        line = project.timeline
        where = Targets(line.pictures[0].id, line.sounds[0].id)
        return project.but(timeline=append(line, clip.piece(), where))

    session.edit("cut", cut)
    session.close()
    (world / "shelf").mkdir()
    shutil.copy(world / "Card" / "a.mov", world / "shelf" / "a.mov")
    write_manifest(Anchor.of(world / "shelf"), [_proof(world / "shelf" / "a.mov")], "xxh128")
    picture = io.BytesIO()
    Image.new("RGBA", (20, 10), "red").save(picture, "PNG")
    values = FULL.to_json()
    packed = base64.b64encode(zlib.compress(picture.getvalue())).decode()
    rows = "\n".join("0.1 0.2 0.3" for _ in range(8))
    cube = base64.b64encode(zlib.compress(f"LUT_3D_SIZE 2\n{rows}\n".encode())).decode()
    values["proxies"]["lut"] = {"name": "x.cube", "data": cube}
    values["proxies"]["marks"] = [
        {"kind": "picture", "picture": {"name": "x.png", "data": packed}},
        {"kind": "text", "text": "{name} {reel}"},
        {"kind": "timecode"},
    ]
    (world / "preset.json").write_text(json.dumps(values))
    save_preset(SMALL, world / "small.json")
    kinds = world / "kinds"
    for name, codec, kind in (
        ("a.mov", "libx264", "mov"),
        ("b.mp4", "mpeg4", "mov"),
        ("c.mkv", "ffv1", "matroska"),
        ("d.avi", "mjpeg", "avi"),
        ("e.mov", "prores_ks", "mov"),
        ("f.mxf", "mpeg2video", "mxf"),
        ("g.ts", "mpeg2video", "mpegts"),
        ("h.mpg", "mpeg1video", "mpeg"),
    ):
        draw(kinds / name, 6, codec, kind, sound=kind in ("mov", "avi", "matroska"))
    with av.open(str(kinds / "i.wav"), "w") as out:
        tone = out.add_stream("pcm_s16le", rate=48_000, layout="stereo")
        samples = av.AudioFrame.from_ndarray(np.zeros((1, 9600), np.int16), layout="stereo")
        samples.sample_rate = 48_000
        out.mux(tone.encode(samples))
    for name in ("j.png", "k.jpg", "l.tif"):
        Image.fromarray(np.random.default_rng(1).integers(0, 255, (60, 90, 3), np.uint8)).save(kinds / name)


def build_watch(world: Path) -> Path | None:
    """The preload, None where there is no compiler."""
    library = world / "watch.so"
    command = ["cc", "-shared", "-fPIC", "-O1", "-o", str(library), str(Path(__file__).parent / "watch.c"), "-ldl"]
    try:
        subprocess.run(command, check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError) as error:
        print(f"no preload could be built ({error}): what is outside is not watched", flush=True)
        return None
    return library


def outside(world: Path, log: Path, home: Path) -> Counter[str]:
    """What was touched and should not have been: anything of the trap, and whatever was written beyond the world."""
    found: Counter[str] = Counter()
    allowed = (str(world), "/dev/", "/proc/", "pipe:", "/memfd")
    for line in log.read_text(errors="replace").splitlines() if log.exists() else ():
        what, _space, path = line.partition(" ")
        path = os.path.normpath(path)
        caches = "__pycache__" in path or path.startswith(str(home))
        if path.startswith(str(world / "trap")) or (what != "rd" and not path.startswith(allowed) and not caches):
            found[f"{what} {path}"] += 1
    return found


def measure_part(world: Path, part: str, count: int) -> bool:
    """One part in two processes side by side; prints the numbers."""
    watch, log = build_watch(world), world / f"{part}.log"
    before = sorted((path.name, path.read_bytes()) for path in (world / "trap").iterdir())
    answers = [world / f"{part} {number}.jsonl" for number in range(AT_ONCE)]
    temporary = world / "temporary"
    temporary.mkdir(exist_ok=True)
    environment = {
        **os.environ,
        "WATCH_LOG": str(log),
        "WATCH_TRAP": str(world / "trap"),
        "TMPDIR": str(temporary),  # a preset's table of colours lies there while it is used
        "PYTHONDONTWRITEBYTECODE": "1",
    }
    if watch is not None:
        environment["LD_PRELOAD"] = str(watch)
    begun = time.monotonic()
    waiting = list(range(AT_ONCE))
    share = count // AT_ONCE
    hung = died = 0
    at = {number: number * share for number in waiting}
    processes: dict[int, subprocess.Popen[bytes]] = {}
    while waiting or processes:
        for number in list(waiting):
            end = (number + 1) * share
            if at[number] >= end:
                waiting.remove(number)
                continue
            command = [
                sys.executable,
                __file__,
                "child",
                part,
                str(at[number]),
                str(end),
                str(world),
                str(answers[number]),
            ]
            environment["AGILE_SHADOW_HOME"] = str(world / f"profile {part} {number}")
            processes[number] = subprocess.Popen(command, env=environment, stderr=subprocess.DEVNULL)
            waiting.remove(number)
        for number, process in list(processes.items()):
            if process.poll() is not None:
                del processes[number]
                done = [json.loads(line)["number"] for line in answers[number].read_text().splitlines()]
                if process.returncode != 0:  # one item ended the process: count it, and go on behind it
                    hung += process.returncode == -signal.SIGALRM
                    died += process.returncode != -signal.SIGALRM
                    at[number] = (done[-1] if done else at[number] - 1) + 2
                    waiting.append(number)
        time.sleep(0.05)
    lines = [json.loads(line) for path in answers if path.exists() for line in path.read_text().splitlines()]
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024
    traces = [line for line in lines if line["trace"]]
    slow = [line for line in lines if line["seconds"] > LONG * (20 if part == "media" else 1)]
    touched = outside(world, log, Path.home() / ".cache")
    same = before == sorted((path.name, path.read_bytes()) for path in (world / "trap").iterdir())
    left = sorted(path.name for path in temporary.rglob("*"))
    outcomes = Counter(word for line in lines for word in line["outcome"].split())
    longest = max((line["seconds"] for line in lines), default=0)
    print(
        f"{part}: {len(lines)} of {count} in {time.monotonic() - begun:.0f} s; accepted {outcomes['accepted']}, "
        f"refused {outcomes['refused']}; tracebacks {len(traces)}, processes that died {died}, "
        f"over {LONG:.0f} s {len(slow) + hung} (longest {longest:.1f} s), largest process {peak / 1e6:.0f} MB, "
        f"touched outside {sum(touched.values())}{'' if watch else ' (not watched)'}, trap unchanged: {same}, "
        f"temporary files left {len(left)}",
        flush=True,
    )
    for line in traces[:4]:
        print("   ", part, line["number"], line["trace"].strip().splitlines()[-1][:300], flush=True)
    for text, times in touched.most_common(5):
        print(f"    {times} x {text}", flush=True)
    return not (traces or slow or hung or died or touched or left) and same and peak < LARGE


# Kills


def kill_writer(world: Path, seed: int) -> None:
    """In a child: manifests and saves, one after the other, until it is killed."""
    root = world / "kill shelf"
    session = ProjectSession.open(world / "kill.otio")
    number = 0
    while True:
        number += 1
        path = root / f"{seed}-{number}.bin"
        path.write_bytes(f"{seed} {number}".encode())
        write_manifest(Anchor.of(root), [_proof(path)], "xxh128")
        session.edit("", lambda project, number=number: project.but(name=f"{seed} {number}"))
        session.save()


def measure_kills(world: Path, count: int) -> bool:
    """Kill the writing of manifests and saves alone."""
    root = world / "kill shelf"
    root.mkdir()
    chance, bad = random.Random(5), []
    environment = {**os.environ, "AGILE_SHADOW_HOME": str(world / "profile kills")}
    reference = Path(sys.executable).with_name("ascmhl-debug")
    for number in range(count):
        command = [sys.executable, __file__, "writer", str(world), str(number)]
        process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        assert process.stdout is not None
        process.stdout.readline()  # it has begun
        time.sleep(0.6 * chance.random())
        process.kill()
        process.wait()
        try:
            load_project(world / "kill.otio")
            late = root / f"{number}-late.bin"
            late.write_bytes(b"late")
            told = write_manifest(Anchor.of(root), [_proof(late)], "xxh128").told
            found = verify_folder(root)
            ProjectSession.open(world / "kill.otio").close()
            from agile_shadow.core.files import remove_partials

            remove_partials(root)
            left = [path.name for path in world.glob(".kill.otio*")] + [p.name for p in root.rglob("*.part")]
            if told or found.differ or found.missing or found.unreadable or left:
                bad.append((number, told, found.differ, found.missing, found.unreadable, left))
        except Exception as error:
            bad.append((number, repr(error)))
        if number % 25 == 24:  # the reference tool, and a fresh history: it grows with each kill
            done = subprocess.run([reference, "verify", root], capture_output=True, text=True)
            generations = len(list((root / "ascmhl").glob("*.mhl")))
            unlisted = "New files not referenced" in done.stderr + done.stdout  # the file of the killed moment
            if done.returncode and not unlisted:
                bad.append((number, "reference", done.stderr[-300:]))
            said = f"answers {done.returncode}" if done.returncode and not unlisted else "verifies"
            print(f"    {number + 1} kills, {generations} generations, reference tool {said}", flush=True)
            shutil.rmtree(root)
            root.mkdir()
    print(f"kills of manifests and saves: {count - len(bad)} of {count} left nothing wrong", flush=True)
    for one in bad[:5]:
        print("   ", one, flush=True)
    return not bad


def measure_ingest_kills(world: Path, count: int) -> bool:
    """Kill an ingest with two copies, manifests and proxies; the next run ends with the same report."""
    for number in range(4):
        draw(world / "Kill card" / "DCIM" / f"K_{number * 10:04d}.MOV", 20 + number)
    (world / "Kill card" / "DCIM" / "K_0000.XML").write_text("<x/>")
    chosen = save_preset(FULL, world / "kills.json")
    environment = {**os.environ, "AGILE_SHADOW_HOME": str(world / "profile ingest")}

    def command(folder: Path) -> list[str]:
        return [
            sys.executable,
            "-m",
            "agile_shadow.cli",
            "ingest",
            str(world / "Kill card"),
            "--project",
            str(folder / "p.otio"),
            "--preset",
            str(chosen),
            "--originals",
            str(folder / "o"),
            "--proxies",
            str(folder / "p"),
            "--second",
            str(folder / "s"),
            "--json",
        ]

    def run(folder: Path) -> tuple[Any, float]:
        begun = time.monotonic()
        done = subprocess.run(command(folder), env=environment, capture_output=True, text=True, timeout=300)
        answer = json.loads(done.stdout)
        answer.pop("took", None)
        return json.loads(json.dumps(answer).replace(str(folder), "F")), time.monotonic() - begun

    calm, took = run(world / "calm")
    files = _files(world / "calm")
    bad, chance = [], random.Random(7)
    reference = Path(sys.executable).with_name("ascmhl-debug")
    kills = 0
    while kills < count:
        folder = world / f"killed {kills}"
        for _ in range(min(count - kills, chance.choice((1, 1, 2, 3)))):
            process = subprocess.Popen(
                command(folder), env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(timeout=took * (0.15 + 0.95 * chance.random()))
            process.kill()
            process.wait()
            kills += 1
        try:
            answer, _took = run(folder)
            left = [str(path) for path in folder.rglob("*") if is_partial(path.name) or "set aside" in path.name]
            checks = [
                subprocess.run([reference, "verify", folder / name], capture_output=True).returncode for name in "os"
            ]
            if answer != calm or _files(folder) != files or left or any(checks):
                wrong = [key for key in calm if answer.get(key) != calm[key]]
                bad.append((kills, wrong, left, checks, sorted(set(_files(folder)) ^ set(files))[:6]))
        except Exception as error:
            bad.append((kills, repr(error)[:300]))
        shutil.rmtree(folder, ignore_errors=True)
    print(
        f"kills of an ingest with two copies, manifests and proxies: {kills}; wrong after going on: {len(bad)}",
        flush=True,
    )
    for one in bad[:5]:
        print("   ", one, flush=True)
    return not bad


def _files(folder: Path) -> dict[str, str]:
    """Contents of all copies and proxies; of manifests and marks only that they are there."""
    found = {}
    for name in "ops":
        for path in sorted((folder / name).rglob("*")):
            if path.is_file() and "ascmhl" not in path.parts and not path.name.startswith("."):
                found[str(path.relative_to(folder))] = hash_file(path, "xxh64")
    return found


PARTS = {"project": 5000, "preset": 3000, "manifest": 1000, "media": 100}


def measure_hostile(base: Path, only: str = "", part_of: float = 1.0) -> bool:
    """All parts, or one; ``part_of`` of their numbers."""
    world = base / "world"
    os.environ["AGILE_SHADOW_HOME"] = str(base / "profile")
    build_world(world)
    assert len(read_source(world / "kinds").files) == 12
    good = True
    for part, count in PARTS.items():
        if only in ("", part):
            good &= measure_part(world, part, max(2, int(count * part_of)))
    if only in ("", "kills"):
        good &= measure_kills(world, max(2, int(100 * part_of)))
    if only in ("", "ingest"):
        good &= measure_ingest_kills(world, max(2, int(200 * part_of)))
    return good


def main() -> int:
    """The child processes, and the bench itself."""
    if sys.argv[1:2] == ["child"]:
        part, begin, end, world, out = sys.argv[2:]
        set_up_logging()
        child = Child(Path(world), Path(out))
        child.each(range(int(begin), int(end)), getattr(child, part))
        return 0
    if sys.argv[1:2] == ["writer"]:
        print("begun", flush=True)
        kill_writer(Path(sys.argv[2]), int(sys.argv[3]))
    words = [word for word in sys.argv[1:] if not word.startswith("-")]
    only = next((word for word in words if not word.replace(".", "").isdigit()), "")
    size = next((float(word) for word in words if word.replace(".", "").isdigit()), 1.0)
    with tempfile.TemporaryDirectory(prefix="hostile-") as base:
        return 0 if measure_hostile(Path(base), only, size) else 1


if __name__ == "__main__":
    sys.exit(main())
