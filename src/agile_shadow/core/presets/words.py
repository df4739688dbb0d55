"""A preset in words: its sentence, and a name from its settings."""

from __future__ import annotations

from .codecs import codec_named, scale_words
from .model import Mark, Originals, Preset, Proxies, Takes, When

_COLUMNS = ("left", "middle", "right")
_ROWS = ("upper", "middle", "lower")


def describes(preset: Preset) -> str:
    """The whole preset in a few sentences."""
    parts = [_takes(preset.takes), _originals(preset.originals)]
    if preset.proxies is None:
        return f"{', '.join(parts)}. Make no proxies."
    return f"{', '.join(parts)}. {_proxies(preset.proxies)} {_place(preset.proxies)}{_when(preset.when)}"


def listed(words: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return " and ".join([", ".join(words[:-1]), words[-1]]) if len(words) > 1 else "".join(words)


def _takes(takes: Takes) -> str:
    kinds = [
        word
        for word, on in (
            ("video", takes.video), ("image sequences", takes.sequences), ("stills", takes.stills),
            ("sound", takes.sound),
        )
        if on
    ]  # fmt: skip
    text = f"Take {listed(kinds) or 'nothing'} from the source"
    if takes.longer_than:
        text += f", clips longer than {takes.longer_than:g} s"
    if takes.leave_out:
        text += f", without {listed(list(takes.leave_out))}"
    return text


def _originals(originals: Originals) -> str:
    proof = (
        "compare sizes only"
        if originals.checksum == "size"
        else f"verify by {originals.checksum}"
        if originals.do == "copy"
        else f"note its {originals.checksum}"
    )
    if originals.do == "leave":
        return f"leave it where it is and {proof}"
    text = f"copy it to {originals.shelf or 'the originals shelf'}"
    if originals.second_copy:
        text += f" and to {originals.second_shelf or 'the shelf for second copies'}"
    if originals.folders != "keep":
        text += " in one folder" if originals.folders == "flatten" else f" in folders {originals.folder_pattern}"
    if originals.name_pattern != "{name}":
        text += f" named {originals.name_pattern}"
    return f"{text}, {proof}" + (" with a manifest" if originals.manifest else "")


def size_words(proxies: Proxies) -> str:
    """The size wanted, in words."""
    return scale_words(proxies.scale) if proxies.scale is not None else f"{proxies.height} lines high"


def codec_words(proxies: Proxies) -> str:
    """The codec with its quality or data rate."""
    label = codec_named(proxies.codec).label
    if proxies.megabits is not None:
        return f"{label} at {proxies.megabits:g} Mb/s"
    return label if proxies.quality == "usual" else f"{label}, {proxies.quality}"


def _proxies(proxies: Proxies) -> str:
    text = f"Make proxies {size_words(proxies)} as {codec_words(proxies)}"
    if proxies.make == "where-needed":
        text += f" where {needs_words(proxies)}"
    sound = {"all": "all sound channels", "stereo": "sound mixed to stereo", "none": "no sound"}[proxies.sound]
    text += f", {sound}"
    if proxies.stills_over is not None:
        text += f", of stills over {proxies.stills_over} megapixels as PNG"
    if proxies.lut is not None:
        text += f", colours by {proxies.lut.name}"
    if proxies.marks:
        text += f", marked {listed([mark_words(mark) for mark in proxies.marks])}"
    return f"{text}."


def needs_words(proxies: Proxies) -> str:
    """Where proxies are needed."""
    reasons = []
    if proxies.headroom_below is not None:
        reasons.append(f"headroom is below {proxies.headroom_below:g}x")
    if proxies.larger_than is not None:
        reasons.append(f"the picture has more than {proxies.larger_than} lines")
    return " or ".join(reasons)


def mark_words(mark: Mark) -> str:
    """What a mark is and roughly where."""
    what = {"text": mark.text, "timecode": "timecode", "picture": mark.picture.name if mark.picture else "picture"}
    return f"{what[mark.kind]} ({place_words(mark)})"


def place_words(mark: Mark) -> str:
    """``lower left`` and the like."""
    column, row = _COLUMNS[min(2, int(mark.x * 3))], _ROWS[min(2, int(mark.y * 3))]
    return row if row == column else f"{row} {column}"


def describes_proxies(proxies: Proxies) -> str:
    """The settings of its proxies in a few words, such as ``a quarter the size as DNxHR LB``."""
    text = f"{size_words(proxies)} as {codec_words(proxies)}"
    return f"{text}, marked" if proxies.marks else text


def _place(proxies: Proxies) -> str:
    where = {
        "shelf": f"on {proxies.shelf or 'the proxies shelf'}, same folders as the originals",
        "beside": f"in a folder {proxies.folder} beside each original" if proxies.folder else "beside each original",
        "project": f"in a folder {proxies.folder} beside the project",
    }[proxies.place]
    named = "" if proxies.name_pattern == "{name}" else f", named {proxies.name_pattern}"
    return f"Put them {where}{named}." + (" Copy them to the second shelf too." if proxies.second_copy else "")


def _when(when: When) -> str:
    parts = []
    if when.start == "at-night":
        parts.append(f"from {when.from_time}")
    if when.where == "here-only":
        parts.append("on this machine only")
    if when.only_on_mains:
        parts.append("only on mains power")
    return f" Make them {listed(parts)}." if parts else ""


def suggested_name(preset: Preset) -> str:
    """A name from the settings, such as ``Quarter DNxHR LB, marked``."""
    wanted = preset.proxies
    if wanted is None:
        return "Copy and verify" if preset.originals.do == "copy" else "Note only"
    size = scale_words(wanted.scale) if wanted.scale is not None else f"{wanted.height} lines"
    size = size.removeprefix("a ").removeprefix("an ").removesuffix(" the size").removesuffix(" of the size")
    name = f"{size[:1].upper()}{size[1:]} {codec_words(wanted)}"
    if wanted.make == "where-needed":
        name += ", where needed"
    if wanted.marks:
        name += ", marked"
    if preset.originals.do == "leave":
        name += ", originals stay"
    return name
