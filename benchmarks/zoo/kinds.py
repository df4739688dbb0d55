"""The kinds: how each is drawn, and what of it must come out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from . import patching
from .drawing import CLICKS, Drawn, Voice

FILM, NTSC, NTSC2 = Fraction(24000, 1001), Fraction(30000, 1001), Fraction(60000, 1001)
_FAST = {"preset": "ultrafast", "g": "12"}
_QUIET = {"preset": "ultrafast", "x265-params": "log-level=none:keyint=12"}
_PCM = Voice()
_AAC = Voice("aac", bit_rate=160_000)


@dataclass(frozen=True)
class Kind:
    """``shown``: numbers of the frames that are to be seen, in order, where it is not every one. ``fate``: ``right``,
    ``damaged`` (told, with what is there right) or ``refused`` (in words). ``clicks``: seconds where sound clicks."""

    name: str
    group: str
    how: Drawn
    steps: tuple[patching.Step, ...] = ()
    shown: tuple[int, ...] | None = None
    fate: str = "right"
    clicks: tuple[float, ...] | None = None
    turn: int = 0
    sequence: tuple[int, int] | None = None  # first number and digits of its files
    first: str = ""  # timecode of the first frame to be seen, where it is not as drawn
    late: Fraction = Fraction(0)  # by which all but the first frame, and the sound, come later than drawn

    @property
    def numbers(self) -> tuple[int, ...]:
        """Of the frames to be seen."""
        return self.shown if self.shown is not None else tuple(range(self.how.frames))

    @property
    def heard(self) -> tuple[float, ...]:
        """When its sound clicks, seconds after the first frame that is seen."""
        if not self.how.voices:
            return ()
        length = self.how.frames / self.how.rate
        if self.clicks is not None:
            return self.clicks
        return tuple(at + float(self.late) for at in CLICKS if at + 0.06 < length)


def _h264(**changes: object) -> Drawn:
    return Drawn(**{"ending": "mp4", "options": _FAST, **changes})  # type: ignore[arg-type]


def kinds() -> list[Kind]:
    """All of them; names are unique."""
    found = [
        *_codecs(),
        *_pixels(),
        *_groups(),
        *_rates(),
        *_timecodes(),
        *_shapes(),
        *_colours(),
        *_sounds(),
        *_edits(),
        *_clocks(),
        *_damage(),
        *_names(),
        *_sequences(),
    ]
    assert len({kind.name for kind in found}) == len(found)
    return found


def _codecs() -> Iterator[Kind]:
    for ending, voice in (
        ("mov", _PCM),
        ("mp4", _AAC),
        ("mkv", _PCM),
        ("ts", Voice("mp2", bit_rate=192_000)),
        ("m2ts", Voice("ac3", bit_rate=192_000)),
        ("mxf", Voice("pcm_s24le")),
        ("avi", _PCM),
    ):
        options = _FAST if ending != "avi" else {**_FAST, "bf": "0"}
        yield Kind(f"H.264 in {ending}", "codecs", Drawn(ending, options=options, voices=(voice,)))
    for ending, voice in (("mov", _PCM), ("mp4", _AAC), ("mkv", _PCM), ("ts", _AAC)):
        yield Kind(f"HEVC in {ending}", "codecs", Drawn(ending, "libx265", options=_QUIET, voices=(voice,)))
    for profile in ("0", "1", "2", "3"):
        how = Drawn("mov", "prores_ks", "yuv422p10le", options={"profile": profile}, voices=(_PCM,))
        yield Kind(f"ProRes profile {profile}", "codecs", how)
    yield Kind("ProRes 4444 with alpha", "codecs", Drawn("mov", "prores_ks", "yuva444p10le", options={"profile": "4"}))
    for profile, pixels in (
        ("dnxhr_lb", "yuv422p"),
        ("dnxhr_sq", "yuv422p"),
        ("dnxhr_hq", "yuv422p"),
        ("dnxhr_hqx", "yuv422p10le"),
        ("dnxhr_444", "yuv444p10le"),
    ):
        how = Drawn("mov", "dnxhd", pixels, options={"profile": profile}, voices=(_PCM,))
        yield Kind(f"{profile.upper()} in mov", "codecs", how)
    yield Kind("DNxHR SQ in mxf", "codecs", Drawn("mxf", "dnxhd", "yuv422p", options={"profile": "dnxhr_sq"}))
    yield Kind("MPEG-2 in mxf", "codecs", Drawn("mxf", "mpeg2video", options={"g": "12", "b": "8M"}, voices=(_PCM,)))
    for ending in ("ts", "mpg", "mkv", "mov"):
        voices = (Voice("mp2", bit_rate=192_000),) if ending != "mov" else (_PCM,)
        how = Drawn(ending, "mpeg2video", options={"g": "12", "b": "8M", "bf": "2"}, voices=voices)
        yield Kind(f"MPEG-2 in {ending}", "codecs", how)
    for ending in ("mov", "avi", "mkv"):
        how = Drawn(ending, "mjpeg", "yuvj422p", options={"q": "3"}, colours=(2, 2, 5, 2), voices=(_PCM,))
        yield Kind(f"MJPEG in {ending}", "codecs", how)
    for codec, ending, pixels, options in (
        ("mpeg4", "mp4", "yuv420p", {"b": "6M"}),
        ("mpeg4", "avi", "yuv420p", {"b": "6M"}),
        ("libsvtav1", "mp4", "yuv420p", {"preset": "12", "crf": "20"}),
        ("libsvtav1", "mkv", "yuv420p", {"preset": "12", "crf": "20"}),
        ("libvpx-vp9", "webm", "yuv420p", {"deadline": "realtime", "cpu-used": "8", "b": "4M"}),
        ("libvpx", "mkv", "yuv420p", {"deadline": "realtime", "cpu-used": "8", "b": "4M"}),
        ("ffv1", "mkv", "yuv422p10le", {}),
        ("ffv1", "avi", "yuv420p", {}),
        ("cfhd", "mov", "yuv422p10le", {}),
        ("huffyuv", "avi", "yuv422p", {}),
        ("utvideo", "avi", "yuv422p", {}),
        ("v210", "mov", "yuv422p10le", {}),
        ("qtrle", "mov", "rgb24", {}),
        ("png", "mov", "rgb24", {}),
        ("rawvideo", "avi", "yuv420p", {}),
        ("magicyuv", "avi", "yuv422p", {}),
    ):
        silent = ending == "avi" or codec == "libvpx"  # neither says anything of colours
        tags = (2, 2, 2, 1) if silent else (1, 1, 1, 1)
        how = Drawn(ending, codec, pixels, options=options, colours=tags)
        yield Kind(f"{codec} in {ending}", "codecs", how)
    dv = Drawn("mov", "dvvideo", "yuv420p", 720, 576, aspect=Fraction(16, 15), interlaced=True, colours=(2, 2, 2, 1))
    yield Kind("DV in mov", "codecs", dv)
    yield Kind(
        "DV by itself",
        "codecs",
        Drawn("dv", "dvvideo", "yuv420p", 720, 576, aspect=Fraction(16, 15), interlaced=True, colours=(2, 2, 2, 1)),
    )


def _pixels() -> Iterator[Kind]:
    for pixels in ("yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le"):
        yield Kind(f"H.264 {pixels}", "pixels", _h264(pixels=pixels))
    for pixels in ("yuv420p10le", "yuv422p10le", "yuv444p12le"):
        yield Kind(f"HEVC {pixels}", "pixels", Drawn("mp4", "libx265", pixels, options=_QUIET))
    yield Kind("H.264 full range", "pixels", _h264(pixels="yuvj420p", colours=(1, 1, 1, 2)))
    yield Kind(
        "H.264 red, green, blue", "pixels", Drawn("mkv", "libx264rgb", "rgb24", options=_FAST, colours=(1, 1, 0, 2))
    )
    yield Kind("FFV1 red, green, blue 10 bit", "pixels", Drawn("mkv", "ffv1", "gbrp10le", colours=(1, 1, 0, 2)))


def _groups() -> Iterator[Kind]:
    for name, options in (
        ("every frame a key", {"g": "1"}),
        ("one group of 250", {"g": "250", "bf": "3", "sc_threshold": "0"}),
        ("no reordering", {"g": "25", "bf": "0"}),
        ("eight B frames", {"g": "25", "bf": "8", "b-pyramid": "normal"}),
        ("open groups", {"g": "12", "bf": "2", "x264-params": "open-gop=1"}),
        ("refresh without keys", {"g": "20", "x264-params": "intra-refresh=1"}),
        ("four references", {"g": "25", "refs": "4", "bf": "2"}),
        ("slices", {"g": "12", "slices": "4"}),
    ):
        yield Kind(f"H.264, {name}", "groups", _h264(options={"preset": "veryfast", **options}))
    yield Kind(
        "HEVC, open groups",
        "groups",
        Drawn(
            "mp4",
            "libx265",
            options={"preset": "veryfast", "x265-params": "log-level=none:keyint=12:open-gop=1:bframes=3"},
        ),
    )
    for ending in ("ts", "mkv"):
        options = {"g": "12", "bf": "2", "preset": "veryfast", "x264-params": "open-gop=1"}
        yield Kind(f"H.264, open groups in {ending}", "groups", Drawn(ending, options=options))


def _rates() -> Iterator[Kind]:
    for rate in (12, 15, 24, 30, 48, 50, 60, 100, 120, 240):
        frames = max(30, min(100, rate))
        yield Kind(f"{rate} fps", "rates", _h264(rate=Fraction(rate), frames=frames, voices=(_AAC,)))
    for rate in (FILM, NTSC, NTSC2, FILM * 2):
        for ending in ("mov", "mkv"):
            how = Drawn(ending, options=_FAST, rate=rate, voices=(_PCM,))
            yield Kind(f"{float(rate):.2f} a second in {ending}", "rates", how)
    steps = [0.02, 0.06, 0.04, 0.033, 0.05, 0.027, 0.1, 0.02]
    times = [Fraction(0)]
    for k in range(49):
        times.append(times[-1] + Fraction(round(steps[k % len(steps)] * 1000), 1000))
    for ending in ("mp4", "mkv", "mov"):
        yield Kind(f"variable rate in {ending}", "rates", Drawn(ending, options=_FAST, times=tuple(times)))
    gap = tuple(Fraction(k + (20 if k > 25 else 0), 25) for k in range(50))
    yield Kind("a picture that stands for 0.8 s", "rates", Drawn("mp4", options=_FAST, times=gap))


def _timecodes() -> Iterator[Kind]:
    for text, rate in (
        ("01:00:00:00", Fraction(25)),
        ("23:59:59:10", Fraction(25)),
        ("10:11:12:13", Fraction(24)),
        ("01:00:00:00", FILM),
        ("00:59:59;20", NTSC),
        ("10:00:00:00", NTSC),
        ("00:59:59;50", NTSC2),
        ("01:02:03:04", Fraction(50)),
    ):
        how = Drawn("mov", options=_FAST, rate=rate, timecode=text)
        yield Kind(f"timecode {text} at {float(rate):.2f}", "timecode", how)
    yield Kind(
        "timecode in mxf",
        "timecode",
        Drawn("mxf", "mpeg2video", options={"g": "12", "b": "8M"}, timecode="10:00:00:05"),
    )


def _shapes() -> Iterator[Kind]:
    for degrees in (90, 180, 270):
        yield Kind(f"turned by {degrees}", "shapes", _h264(turn=degrees), (patching.turned(degrees),), turn=degrees)
    for width, height in (
        (514, 290),
        (640, 272),
        (288, 512),
        (512, 512),
        (1024, 288),
        (854, 480),
        (500, 280),
        (768, 432),
    ):
        yield Kind(f"{width} x {height}", "shapes", _h264(width=width, height=height))
    for aspect in (Fraction(4, 3), Fraction(2), Fraction(8, 9), Fraction(10, 11)):
        yield Kind(f"pixels {aspect.numerator}:{aspect.denominator} wide", "shapes", _h264(aspect=aspect))
    for order in ("tff", "bff"):
        flags = {"flags": "+ildct+ilme", "x264-params": f"{order}=1", **_FAST}
        yield Kind(f"interlaced, {order}", "shapes", _h264(options=flags, interlaced=True, height=576, width=720))
    for width, height in ((42, 32), (168, 128), (260, 122)):
        how = Drawn("mov", "mjpeg", "yuvj444p", width, height, options={"q": "2"}, colours=(2, 2, 5, 2))
        yield Kind(f"MJPEG of {width} x {height}", "shapes", how)
    yield Kind("193 x 144, smaller than any proxy", "shapes", Drawn("mkv", "ffv1", "yuv444p", 193, 144))


def _colours() -> Iterator[Kind]:
    for name, tags in (
        ("BT.601, 625 lines", (5, 6, 5, 1)),
        ("BT.601, 525 lines", (6, 6, 6, 1)),
        ("SMPTE 240M", (7, 7, 7, 1)),
        ("BT.2020", (9, 14, 9, 1)),
        ("BT.2020 PQ", (9, 16, 9, 1)),
        ("BT.2020 HLG", (9, 18, 9, 1)),
        ("not tagged", (2, 2, 2, 1)),
        ("matrix not tagged", (1, 1, 2, 1)),
        ("BT.709 full range", (1, 1, 1, 2)),
        ("BT.601 full range", (5, 6, 5, 2)),
    ):
        yield Kind(f"H.264, {name}", "colours", _h264(colours=tags))
        if tags[2] in (5, 9) and tags[3] == 1:
            how = Drawn("mov", "prores_ks", "yuv422p10le", options={"profile": "2"}, colours=tags)
            yield Kind(f"ProRes, {name}", "colours", how)
    yield Kind("not tagged, 720 lines", "colours", _h264(colours=(2, 2, 2, 1), width=1280, height=720, frames=30))
    yield Kind(
        "HEVC, BT.2020 PQ 10 bit",
        "colours",
        Drawn("mp4", "libx265", "yuv420p10le", options=_QUIET, colours=(9, 16, 9, 1)),
    )


def _sounds() -> Iterator[Kind]:
    for codec in ("pcm_s16le", "pcm_s24le", "pcm_s32le", "pcm_f32le", "pcm_s16be"):
        yield Kind(f"{codec} in mov", "sound", Drawn("mov", options=_FAST, voices=(Voice(codec),)))
    for codec, ending in (
        ("aac", "mp4"),
        ("ac3", "mkv"),
        ("eac3", "mkv"),
        ("mp2", "mkv"),
        ("libmp3lame", "mkv"),
        ("libopus", "mkv"),
        ("flac", "mkv"),
        ("alac", "mov"),
        ("aac", "ts"),
        ("aac", "mkv"),
    ):
        rate = {} if codec in ("flac", "alac") else {"bit_rate": 160_000}
        yield Kind(f"{codec} sound in {ending}", "sound", Drawn(ending, options=_FAST, voices=(Voice(codec, **rate),)))
    for rate in (32_000, 44_100, 96_000):
        yield Kind(f"sound at {rate} Hz", "sound", Drawn("mov", options=_FAST, voices=(Voice(rate=rate),)))
        yield Kind(f"sound at {rate} Hz in mkv", "sound", Drawn("mkv", options=_FAST, voices=(Voice(rate=rate),)))
    for layout in ("mono", "quad", "5.1", "7.1", "hexadecagonal"):
        yield Kind(f"{layout} sound", "sound", Drawn("mov", options=_FAST, voices=(Voice(layout=layout),)))
    yield Kind("eight streams of one channel", "sound", Drawn("mov", options=_FAST, voices=(Voice(layout="mono"),) * 8))
    yield Kind("two streams of two channels", "sound", Drawn("mkv", options=_FAST, voices=(_PCM,) * 2))
    order = patching.own_channel_order((1, 2, 3, 4, 5, 6, 33, 34))
    yield Kind(
        "channels in an order of their own",
        "sound",
        Drawn("mov", options=_FAST, voices=(Voice(layout="7.1"),)),
        (order,),
    )
    for ending, voice in (("mkv", _PCM), ("mp4", _AAC), ("ts", _AAC)):
        late = Voice(voice.codec, late=0.25, bit_rate=voice.bit_rate)
        yield Kind(
            f"sound late by 0.25 s in {ending}",
            "sound",
            Drawn(ending, options=_FAST, voices=(late,)),
            clicks=(0.6, 1.1, 1.6),
        )
        for at, length in ((0.7, 0.3), (0.3, 0.5)):
            holes = Voice(voice.codec, gaps=((at, length),), bit_rate=voice.bit_rate)
            left = tuple(click for click in CLICKS if not at - 0.03 <= click < at + length)
            yield Kind(
                f"a gap of {length} s at {at} in {ending}",
                "sound",
                Drawn(ending, options=_FAST, voices=(holes,)),
                clicks=left,
            )


def _edits() -> Iterator[Kind]:
    plain = {"preset": "veryfast", "g": "30", "bf": "2", "sc_threshold": "0"}
    for name, edits, shown in (
        ("from frame 17 on", [(33, 17)], range(17, 50)),
        ("from frame 31 on", [(19, 31)], range(31, 50)),
        ("15 frames from 20", [(15, 20)], range(20, 35)),
        ("begins late", [(12, -1), (40, 0)], range(40)),
        ("two pieces", [(20, 0), (10, 38)], [*range(20), *range(38, 48)]),
        ("pieces the other way round", [(15, 30), (15, 5)], [*range(30, 45), *range(5, 20)]),
        ("one piece twice", [(20, 0), (20, 0)], [*range(20), *range(20)]),
    ):
        step = patching.edit_list(edits)
        yield Kind(f"edit list, {name}", "edits", _h264(options=plain), (step,), tuple(shown))
        yield Kind(f"edit list in mov, {name}", "edits", Drawn("mov", options=plain), (step,), tuple(shown))
    timed = Drawn("mov", options=plain, timecode="10:00:00:00")
    for name, steps, shown, first in (
        ("picture and timecode from frame 17 on", [([(33, 17)], 0), ([(33, 17)], 1)], range(17, 50), "10:00:00:17"),
        ("the picture alone from frame 17 on", [([(33, 17)], 0)], range(17, 50), "10:00:00:00"),
        ("the picture begins late", [([(12, -1), (50, 0)], 0)], range(50), "10:00:00:12"),
    ):
        changes = tuple(patching.edit_list(edits, track=track) for edits, track in steps)
        yield Kind(f"edit list, {name}", "edits", timed, changes, tuple(shown), first=first)
    trim = patching.edit_list([(33, 17)])
    yield Kind(
        "edit list, HEVC from frame 17 on",
        "edits",
        Drawn("mp4", "libx265", options=_QUIET),
        (trim,),
        tuple(range(17, 50)),
    )
    yield Kind(
        "edit list, ProRes from frame 17 on",
        "edits",
        Drawn("mov", "prores_ks", "yuv422p10le"),
        (trim,),
        tuple(range(17, 50)),
    )


def _clocks() -> Iterator[Kind]:
    for begin in (5, 3600):
        how = Drawn("mkv", options=_FAST, begin=Fraction(begin), voices=(_PCM,))
        yield Kind(f"a clock that begins at {begin} s in mkv", "clocks", how)
        how = Drawn("ts", options=_FAST, begin=Fraction(begin), voices=(_AAC,))
        yield Kind(f"a clock that begins at {begin} s in ts", "clocks", how)
    for flags in (
        "frag_keyframe+empty_moov",
        "frag_keyframe+empty_moov+default_base_moof",
        "faststart",
        "frag_keyframe+empty_moov+separate_moof",
    ):
        how = Drawn("mp4", options={**_FAST, "bf": "2"}, muxer={"movflags": flags}, voices=(_AAC,))
        yield Kind(f"mp4, {flags}", "clocks", how)
    # What begins with the run-up of packed sound, and cannot say so, shows its first frame for longer.
    plain = Drawn("mp4", options=_FAST, muxer={"use_editlist": "0"}, voices=(_AAC,))
    yield Kind("mp4 without edit list", "clocks", plain, late=Fraction(1024, 48_000))
    yield Kind("odd ticks", "clocks", Drawn("mov", options=_FAST, tick=Fraction(1, 12_800)))
    yield Kind("ticks of a millisecond", "clocks", Drawn("mkv", options=_FAST, rate=FILM))


def _damage() -> Iterator[Kind]:
    for ending, codec, pixels, part in (
        ("mkv", "libx264", "yuv420p", 0.56),
        ("mxf", "dnxhd", "yuv422p", 0.6),
        ("avi", "mjpeg", "yuvj420p", 0.5),
        ("mkv", "ffv1", "yuv420p", 0.5),
    ):
        options = {"libx264": _FAST, "dnxhd": {"profile": "dnxhr_lb"}}.get(codec, {})
        how = Drawn(ending, codec, pixels, options=options)
        yield Kind(f"{codec} in {ending} cut off", "damage", how, (patching.cut_off(part),), fate="damaged")
    yield Kind("mp4 cut off", "damage", _h264(), (patching.cut_off(0.6),), fate="refused")
    yield Kind(
        "mp4 cut off, its table ahead",
        "damage",
        _h264(muxer={"movflags": "faststart"}),
        (patching.cut_off(0.6),),
        fate="refused",
    )
    yield Kind("mov emptied", "damage", Drawn("mov", options=_FAST), (patching.emptied,), fate="refused")
    yield Kind(
        "no footage",
        "damage",
        Drawn("mov", options=_FAST, frames=2),
        (patching.replaced(b"no film " * 999),),
        fate="refused",
    )
    yield Kind(
        "zeros", "damage", Drawn("mkv", options=_FAST, frames=2), (patching.replaced(bytes(99_999)),), fate="refused"
    )
    for codec, ending, pixels, options in (
        ("libx264", "mp4", "yuv420p", _FAST),
        ("libx264", "mkv", "yuv420p", _FAST),
        ("libx264", "ts", "yuv420p", _FAST),
        ("libx265", "mp4", "yuv420p", _QUIET),
        ("prores_ks", "mov", "yuv422p10le", {}),
        ("mjpeg", "mov", "yuvj420p", {}),
        ("mpeg2video", "mxf", "yuv420p", {"g": "12", "b": "8M"}),
        ("dnxhd", "mov", "yuv422p", {"profile": "dnxhr_sq"}),
        ("mpeg4", "avi", "yuv420p", {"b": "6M"}),
        ("cfhd", "mov", "yuv422p10le", {}),
        ("ffv1", "mkv", "yuv420p", {"slicecrc": "1", "level": "3"}),
    ):
        how = Drawn(ending, codec, pixels, options=options)
        harm = patching.torn() if codec == "libx265" else patching.scratched()
        yield Kind(f"{codec} in {ending} scratched", "damage", how, (harm,), fate="damaged")


def _names() -> Iterator[Kind]:
    names = (
        "Straße 東京 ٣",
        "a" * 200,
        "100 %04d percent",
        "%d",
        "-rf",
        "two + two",
        "…dots...",
        'it\'s "so"',
        "🎬 take",
        "tab\tin it",
        "  spaces  ",
        "UPPER.Lower",
    )
    for number, name in enumerate(names):  # each of another length: the same bytes twice are one clip
        yield Kind(f"named {name[:20]!r}", "names", _h264(frames=30 + number), (patching.named(name),))


def _sequences() -> Iterator[Kind]:
    for codec, ending, pixels in (
        ("png", "png", "rgb24"),
        ("tiff", "tif", "rgb24"),
        ("dpx", "dpx", "rgb48be"),
        ("mjpeg", "jpg", "yuvj444p"),
    ):
        for first, digits in ((1, 4), (1, 1), (9_990, 4), (86_400, 5)):
            how = Drawn(ending, codec, pixels, frames=30, colours=(2, 2, 5, 2) if codec == "mjpeg" else (1, 1, 1, 2))
            yield Kind(f"{ending} from {first} with {digits} digits", "sequences", how, sequence=(first, digits))
