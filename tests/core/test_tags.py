"""Words of one's own for clips, kept in the project."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.errors import ProjectError
from agile_shadow.core.kit.merging import merge_cuts
from agile_shadow.core.project import load_project, new_project, save_project
from agile_shadow.core.project.cut import Cut, tidy_tags


@given(st.lists(st.text(max_size=80), max_size=60))
def test_tags_are_each_once_in_order_and_tidying_twice_is_tidying_once(words: list[str]) -> None:
    tags = tidy_tags(words)
    assert tidy_tags(tags) == tags and len(tags) <= 40
    folded = [tag.casefold() for tag in tags]
    assert folded == sorted(set(folded)) and all(0 < len(tag) <= 60 for tag in tags)


def test_tags_come_back_from_the_file_and_are_decisions(film: Path, tmp_path: Path) -> None:
    project = load_project(film)
    first, second = project.clips[:2]
    tagged = project.with_tags(first.id, ["tern", " Interview ", "TERN", ""]).with_pin(first.id, "originals")
    assert tagged.clips[0].tags == ("Interview", "tern") and tagged.footage is project.footage
    save_project(tagged, tmp_path / "q.otio")
    back = load_project(tmp_path / "q.otio")
    assert back.clips == tagged.clips and back.footage.clips[0].tags == () and back.clips[0].pin == "originals"
    assert back.with_tags(first.id, []).with_pin(first.id, None).cut.decisions == {}
    text = (tmp_path / "q.otio").read_text()
    (tmp_path / "q.otio").write_text(text.replace('"Interview"', '7', 1))
    with pytest.raises(ProjectError):
        load_project(tmp_path / "q.otio")
    assert second.tags == ()


def test_tags_of_both_sides_come_together() -> None:
    def tagged(*tags: str) -> Cut:
        return new_project("p").with_tags("a", tags).cut

    base = tagged("old", "kept")
    cut = merge_cuts(base, tagged("kept", "mine"), tagged("old", "kept", "theirs")).cut
    assert cut.decision("a").tags == ("kept", "mine", "theirs")  # what one side removed is gone, what each added stays
    assert merge_cuts(base, base, tagged()).cut.decision("a").tags == ()
    assert merge_cuts(base, tagged(), base).cut.decision("a").tags == ()
