"""What ./shadow bench runs: ratios measured in one run on this machine, against something plain."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path

import av

sys.path.insert(0, str(Path(__file__).parent.parent))  # the benches share a cut with the tests

from agile_shadow.core.ingest.copying import copy_file
from agile_shadow.core.media import probe
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from cutting import measure_big, measure_cutting, measure_sides
from estimates import measure_estimates
from faults import measure_faults
from films import measure_film_faults, measure_film_kills, measure_films
from footage import demo_card, heavy_clip
from hanging import measure_hanging
from helpers import measure_helpers
from hostile import main as hostile
from ingest import (
    measure_fuzz,
    measure_listing,
    measure_memory,
    measure_overlap,
    measure_queue,
    measure_two_copies,
    plain_copy,
)
from ledger import measure_fingerprints, measure_ledger
from limits import measure_plain, measure_signatures, measure_single, measure_sketches, measure_starts
from night import measure_night
from others import Meanwhile
from pairing import by_data, pairing, proof
from reads import measure_reads
from sounds import measure_sounds
from storage import measure_storage
from window import measure_window
from zoo.__main__ import main as zoo

_ROUNDS = 3


def quiet(done: float) -> None:
    pass


def seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def decode(path: Path) -> None:
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for _frame in container.decode(stream):
            pass


PLAIN = {
    "dnxhr-lb": ("dnxhd", "yuv422p", {"profile": "dnxhr_lb"}),
    "h264": ("libx264", "yuv420p", {"preset": "ultrafast", "tune": "fastdecode", "crf": "21", "bf": "0", "g": "12"}),
}


def plain_proxy(path: Path, target: Path, codec: str) -> None:
    """The same work as a plain loop: decode, scale, encode, sound as PCM; no checks, no flush, no name."""
    library, pixels, options = PLAIN[codec]
    with av.open(str(path)) as source, av.open(str(target), "w", format="mov") as out:
        video = source.streams.video[0]
        video.thread_type = "AUTO"
        made = out.add_stream(library, rate=25, options=options)
        made.width, made.height, made.pix_fmt = 960, 540, pixels
        made.codec_context.thread_count = 2
        sounds = {s.index: out.add_stream("pcm_s24le", rate=48_000, layout=s.layout.name) for s in source.streams.audio}
        for packet in source.demux([video, *source.streams.audio]):
            for frame in packet.decode():
                if isinstance(frame, av.VideoFrame):
                    small = frame.reformat(960, 540, pixels, interpolation="AREA")
                    small.pict_type = 0
                    out.mux(made.encode(small))
                else:
                    out.mux(sounds[packet.stream.index].encode(frame))
        for stream in (made, *sounds.values()):
            out.mux(stream.encode(None))


def bench_proxies(folder: Path, rounds: int = _ROUNDS) -> None:
    clip = heavy_clip(folder)
    info = probe(clip)  # an ingest knows it from the copy
    for codec, wanted in (("dnxhr-lb", 1.2), ("h264", 1.3)):
        wanted_proxies = Proxies(codec=codec, scale=Fraction(1, 4))
        times: dict[str, list[float]] = {"decode": [], "plain": [], "ours": []}
        for number in range(rounds):  # side by side in each round: the machine's own pace wanders
            times["decode"].append(seconds(lambda: decode(clip)))
            target = folder / f"plain_{codec}_{number}.mov"
            times["plain"].append(seconds(lambda target=target, codec=codec: plain_proxy(clip, target, codec)))
            request = ProxyRequest(clip, folder / f"ours_{codec}_{number}.mov", wanted_proxies, info)
            times["ours"].append(seconds(lambda request=request: make_proxy(request, quiet)))
        told(
            f"quarter-size {codec} proxy of a UHD HEVC clip, against bare decoding",
            _ratio(times, "ours", "decode"),
            wanted,
        )
        told(f"quarter-size {codec} proxy, against the same work in a plain loop", _ratio(times, "ours", "plain"), 1.05)


def _ratio(times: dict[str, list[float]], first: str, second: str) -> float:
    return min(times[first]) / min(times[second])


def bench_copy(folder: Path) -> None:
    source = folder / "large.bin"
    block = os.urandom(1 << 24)
    with source.open("wb") as handle:
        for _ in range(64):
            handle.write(block)
        os.fsync(handle.fileno())
    ratios = []
    for number in range(_ROUNDS + 1):  # in the first one the machine gets its memory: a shared host hands it out slowly
        plain, ours = folder / f"plain{number}.bin", folder / f"ours{number}.bin"
        one = seconds(lambda plain=plain: plain_copy(source, plain))
        plain.unlink()  # both find the same memory free
        two = seconds(lambda ours=ours: copy_file(source, (ours,), "xxh128"))
        ours.unlink()
        ratios.append(two / one)
    what = "copying 1 GB with hash and proof, against cp, flush to the drive and a reread"
    told(what, statistics.median(ratios[1:]), 1.15)


def told(what: str, value: float, wanted: float, unit: str = "") -> None:
    met = "met" if value <= wanted else "NOT met"
    bound = f"at least {-wanted:g}" if wanted < 0 else f"at most {wanted:g}"  # what is to be large comes negative
    print(f"{what}: {abs(value):.2f}{unit} (wanted: {bound}{unit}; {met})", flush=True)


Line = tuple[str, float, float, str]
Group = Callable[[Path, list[int]], Iterable[Line] | None]


def _alone(measure: Callable[[Path], Iterable[Line] | None]) -> Group:
    """A group that takes no numbers."""
    return lambda folder, numbers: measure(folder)


def _sized(measure: Callable[..., Iterable[Line] | None]) -> Group:
    """A group that takes one number: how many rounds, presets, clips."""
    return lambda folder, numbers: measure(folder, *numbers[:1])


def _pairing(_folder: Path, numbers: list[int]) -> None:
    by_data()
    pairing(numbers[1:] or [1], (numbers or [200])[0])


_GROUPS: dict[str, Group] = {
    "proxies": _sized(bench_proxies), "signatures": _alone(measure_signatures), "sketches": _alone(measure_sketches),
    "copy": _alone(bench_copy), "reads": _alone(measure_reads), "starts": _alone(measure_starts),
    "plain": _sized(measure_plain), "estimates": _sized(measure_estimates), "listing": _alone(measure_listing),
    "copies": _sized(measure_two_copies), "memory": _sized(measure_memory), "overlap": _sized(measure_overlap),
    "fuzz": _sized(measure_fuzz), "queue": _alone(measure_queue), "night": _sized(measure_night),
    "prints": _alone(measure_fingerprints), "ledger": _alone(measure_ledger), "room": _sized(measure_storage),
    "hanging": _sized(measure_hanging),
    "pairing": _pairing, "proof": lambda _folder, numbers: proof(numbers[0] if numbers else 100),
    "sounds": _sized(measure_sounds),
    "single": lambda folder, numbers: measure_single(folder, *(numbers or [25])[:2]),
    "big": _alone(measure_big), "cutting": _sized(measure_cutting), "sides": _sized(measure_sides),
    "films": _sized(measure_films), "planted": _sized(measure_film_faults), "killed": _sized(measure_film_kills),
    "window": _alone(measure_window), "helpers": measure_helpers,
}  # fmt: skip


_SHORT = {  # of a whole run
    "proxies": [1], "plain": [1], "estimates": [1], "copies": [1], "memory": [2], "overlap": [1], "fuzz": [200],
    "night": [300], "room": [60_000], "hanging": [3], "pairing": [25], "proof": [4], "single": [1], "sounds": [4],
    "cutting": [5], "sides": [10], "films": [1], "planted": [1], "killed": [1], "helpers": [0],
}  # fmt: skip


def main() -> int:
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # a usual machine keeps what it compiled
    if "--hostile" in sys.argv:
        return hostile()
    with tempfile.TemporaryDirectory(prefix="bench-profile-") as profile:
        card = demo_card()  # of the person's own cache: it is drawn once
        os.environ.setdefault("AGILE_SHADOW_HOME", profile)
        kept = Path(os.environ["AGILE_SHADOW_HOME"]) / "cache" / "demo"
        if not kept.exists():
            kept.parent.mkdir(parents=True, exist_ok=True)
            kept.symlink_to(card.parent, target_is_directory=True)
        if sys.argv[1:2] == ["zoo"]:
            return zoo(sys.argv[2:])
        if "--faults" in sys.argv:
            counts = [int(one) for one in sys.argv[1:] if one.isdigit()]
            with tempfile.TemporaryDirectory(prefix="faults-") as base:
                return 0 if measure_faults(Path(base), counts[0] if counts else 100) else 1
        return _groups(card)


def _group(work: Group, folder: Path, numbers: list[int]) -> bool:
    """One group of figures; what goes wrong in it is told, and the others go on. Whether it came to its end."""
    try:
        for line in work(folder, numbers) or ():
            told(*line)
    except Exception:
        traceback.print_exc()
        print("  this group came to no end", flush=True)
        return False
    return True


def _groups(card: Path) -> int:
    """The group of figures that is named; without a name all of them, each in a process of its own: a window is closed
    with its process, and what a group leaves in memory is not the next one's."""
    if len(sys.argv) < 2:
        return _all_groups()
    word, numbers = sys.argv[1], [int(one) for one in sys.argv[2:] if one.isdigit()]
    if word not in _GROUPS:
        print(f"{word}: no group of that name. There are {', '.join(_GROUPS)}.", file=sys.stderr)
        return 2
    folder = Path(tempfile.mkdtemp(prefix="bench-", dir=card.parent))
    print(f"# {word}", flush=True)
    meanwhile = Meanwhile()
    try:
        ended = _group(_GROUPS[word], folder, numbers)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    print(f"  ({word}: {meanwhile.words()})", flush=True)
    return 0 if ended else 1


def _all_groups() -> int:
    meanwhile, failed = Meanwhile(), []
    for word in _GROUPS:
        command = [sys.executable, __file__, word, *map(str, _SHORT.get(word, []))]
        if subprocess.run(command, check=False).returncode:
            failed.append(word)
    told("all groups together", meanwhile.seconds / 60, 25, " min")
    print(f"  (all: {meanwhile.words()})", flush=True)
    if failed:
        print(f"came to no end: {', '.join(failed)}", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
