"""When proxies may be made: at once, at night, on mains power."""

from __future__ import annotations

from datetime import datetime, timedelta

from ..late import psutil
from ..presets import When

NIGHT = timedelta(hours=10)  # how long after its hour a night's work may begin


def waits_for(when: When, now: datetime, on_mains: bool) -> str:
    """What the making of proxies waits for, in words; an empty text when it may go on.

    ``now`` is local time.
    """
    if when.start == "at-night" and not _is_night(when.from_time, now):
        return f"until {when.from_time}"
    if when.only_on_mains and not on_mains:
        return "for mains power"
    return ""


def _is_night(from_time: str, now: datetime) -> bool:
    hour, minute = map(int, from_time.split(":"))
    begin = now.replace(hour=hour, minute=minute, second=0, microsecond=0)
    if begin > now:
        begin -= timedelta(days=1)
    return now - begin < NIGHT


def on_mains_power() -> bool:
    """Whether the machine is plugged in; a machine without a battery always is."""
    try:
        battery = psutil.sensors_battery()
    except (OSError, AttributeError, RuntimeError, ValueError, NotImplementedError):  # it does not say: no battery
        return True
    return battery is None or battery.power_plugged is not False
