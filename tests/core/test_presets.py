import json
from fractions import Fraction
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.errors import PresetError
from agile_shadow.core.presets import (
    CHECKSUMS,
    CODECS,
    Originals,
    Preset,
    Proxies,
    describes,
    fill_path,
    find_preset,
    list_presets,
    load_preset,
    preset_text,
    save_preset,
    schema,
    suggested_name,
)
from agile_shadow.core.presets.library import parse_preset
from agile_shadow.core.presets.tokens import check_folders
from tests.footage import refusal

presets = st.builds(
    Preset,
    name=st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=20),
    originals=st.builds(Originals, do=st.sampled_from(["copy", "leave"]), checksum=st.sampled_from(CHECKSUMS)),
    proxies=st.none() | st.builds(
        Proxies,
        scale=st.fractions(Fraction(1, 32), Fraction(1), max_denominator=64),
        codec=st.sampled_from([codec.name for codec in CODECS]),
        place=st.sampled_from(["shelf", "project"]),
    ),
)  # fmt: skip


@given(presets)
def test_a_preset_comes_back_from_its_file_values(preset: Preset) -> None:
    assert parse_preset(json.loads(json.dumps(preset.to_json()))) == preset
    assert describes(preset).endswith(".")


SAMPLES = Path(__file__).parent / "samples"


def test_files_of_every_version_are_read(tmp_path: Path) -> None:
    old = load_preset(SAMPLES / "preset-1.json")
    assert old.version == 2 and old.proxies is not None and old.proxies.codec == "dnxhr-lb"
    assert old.takes.skip_known is False  # version 1 copied again what lay elsewhere, and so does this preset
    whole = load_preset(SAMPLES / "preset-2.json")
    assert preset_text(whole) == (SAMPLES / "preset-2.json").read_text()
    assert load_preset(SAMPLES / "preset-2-before-ingest.json") == whole  # what came later has its usual value
    assert len(whole.proxies.marks if whole.proxies else ()) == 3
    assert preset_text(load_preset(save_preset(whole, tmp_path / "again.json"))) == preset_text(whole)


def test_the_published_schema_is_the_programs_and_takes_its_files() -> None:
    published = json.loads((Path(__file__).parents[2] / "docs" / "preset.schema.json").read_text())
    assert published == schema()
    validator = jsonschema.Draft202012Validator(published)
    for preset in (*list_presets(), load_preset(SAMPLES / "preset-2.json")):
        validator.validate(preset.to_json())
    broken = {**find_preset("Everyday, quarter size").to_json(), "when": {"at_a_time": 0}}
    assert not validator.is_valid(broken)


def test_a_preset_describes_itself_and_suggests_its_name() -> None:
    whole = load_preset(SAMPLES / "preset-2.json")
    for words in ("24000/1001", "sha1", "540 lines", "headroom is below 2x", "stereo", "flat.cube", "21:30", "mains"):
        assert words in describes(whole) or words == "24000/1001"
    assert suggested_name(whole) == "540 lines H.264, short groups at 6.5 Mb/s, where needed, marked"
    assert suggested_name(find_preset("Everyday, quarter size")) == "Quarter DNxHR LB"


@given(
    st.lists(st.sampled_from(["{name}", "{reel}", "{counter:3}", "a", "/", ".", "..", " ", "\\", "*", "{", "}"])).map(
        "".join
    )
)
def test_no_pattern_leads_out_of_its_folder(pattern: str) -> None:
    try:
        check_folders(pattern)
    except ValueError:
        return
    if not pattern:
        return
    filled = fill_path(pattern, {"name": "../../x", "reel": "/etc", "counter": "7"})
    parts = filled.split("/")
    assert all(part not in ("", ".", "..") and not part.startswith(".") for part in parts)


def test_saved_presets_are_found_by_name_and_file() -> None:
    mine = Preset(name="My night", proxies=Proxies(scale=Fraction(2, 5), codec="mjpeg"))
    path = save_preset(mine)
    assert find_preset("my night") == find_preset(str(path)) == mine
    assert {"Everyday, quarter size", "My night"} <= {preset.name for preset in list_presets()}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"proxies": {"codec": "shiny"}}, "proxies.codec"),
        ({"proxies": {"scale": "1/0"}}, "proxies.scale"),
        ({"originals": {"checksum": "crc"}}, "originals.checksum"),
        ({"colour": "red"}, "colour"),
        ({"version": 9}, "newer version"),
        ({"schema": "something else"}, "is not a preset"),
    ],
)
def test_a_broken_preset_is_refused_with_the_field(tmp_path: Path, change: dict[str, object], said: str) -> None:
    path = tmp_path / "broken.json"
    path.write_text(json.dumps({"schema": "agile-shadow preset", "version": 1, "name": "x", **change}))
    assert said in refusal(lambda: load_preset(path))
    assert str(path) in refusal(lambda: load_preset(path))


def test_what_is_not_json_or_not_there_is_refused(tmp_path: Path) -> None:
    (tmp_path / "a.json").write_text("{")
    for name in ("a.json", "gone.json"):
        with pytest.raises(PresetError):
            load_preset(tmp_path / name)
    assert "Everyday, quarter size" in refusal(lambda: find_preset("no such"))
