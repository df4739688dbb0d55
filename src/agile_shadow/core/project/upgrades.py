"""Older project files brought up to date, one version at a time."""

from __future__ import annotations

import copy

from .schema import KEY, Json


def upgraded(values: Json, version: int) -> Json:
    """A file of ``version`` as the newest version would have written it. Raises KeyError or TypeError when damaged."""
    for step in _STEPS[version - 1 :]:
        values = step(values)
    return values


def _sound_of_its_own(values: Json) -> Json:
    """Version 1 had one track whose blocks were picture and sound in one."""
    pictures = values["tracks"]["children"][0]
    pictures["name"] = "Picture 1"
    sounds = {**pictures, "name": "Sound 1", "kind": "Audio", "metadata": {}, "children": []}
    for block in (item for item in pictures["children"] if item["OTIO_SCHEMA"].startswith("Clip.")):
        own = block["metadata"][KEY]
        if not block["media_references"]["original"]["metadata"][KEY]["info"].get("audio"):
            continue
        own["link"] = own["block"]
        twin = copy.deepcopy(block)
        twin["metadata"][KEY]["block"] = f"{own['block']}-sound"
        sounds["children"].append(twin)
    values["tracks"]["children"] = [pictures, sounds]
    return values


_STEPS = (_sound_of_its_own,)
VERSION = len(_STEPS) + 1
