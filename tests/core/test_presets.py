import json
from fractions import Fraction
from pathlib import Path

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
    find_preset,
    list_presets,
    load_preset,
    save_preset,
)
from agile_shadow.core.presets.library import parse_preset
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


def test_saved_presets_are_found_by_name_and_file() -> None:
    mine = Preset(name="My night", proxies=Proxies(scale=Fraction(2, 5), codec="mjpeg"))
    path = save_preset(mine)
    assert find_preset("my night") == find_preset(str(path)) == mine
    assert {"Quick cut", "My night"} <= {preset.name for preset in list_presets()}


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
    assert "Quick cut" in refusal(lambda: find_preset("no such"))
