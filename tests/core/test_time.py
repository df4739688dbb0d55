from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.time import frame_of, parse_rate, rate_label, timecode_at

NTSC = Fraction(30000, 1001)
rates = st.sampled_from([Fraction(24000, 1001), Fraction(24), Fraction(25), NTSC, Fraction(50), Fraction(60000, 1001)])


@given(rates, st.integers(0, 24 * 3600 * 23))
def test_timecode_of_a_frame_leads_back_to_it(rate: Fraction, frame: int) -> None:
    assert frame_of(timecode_at(frame, rate), rate) == frame


@given(st.sampled_from([NTSC, Fraction(60000, 1001)]), st.integers(0, 2_000_000))
def test_drop_frame_timecode_leads_back_and_stays_by_the_clock(rate: Fraction, frame: int) -> None:
    text = timecode_at(frame, rate, drop_frame=True)
    assert frame_of(text, rate) == frame
    hours, minutes, seconds, frames = (int(part) for part in text.replace(";", ":").split(":"))
    shown = hours * 3600 + minutes * 60 + seconds + frames / round(rate)
    behind = 1e-6 * float(frame / rate)  # what the dropping leaves over: 86 ms a day (SMPTE ST 12-1)
    assert abs(shown - float(frame / rate)) < 0.07 + 1.01 * behind


def test_known_drop_frame_numbers() -> None:
    assert timecode_at(1799, NTSC, True) == "00:00:59;29"
    assert timecode_at(1800, NTSC, True) == "00:01:00;02"
    assert timecode_at(17982, NTSC, True) == "00:10:00;00"


@pytest.mark.parametrize("text", ["", "1:2:3", "00:00:61:00", "00:00:00:25", "00:01:00;00"])
def test_what_is_no_timecode_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        frame_of(text, NTSC if ";" in text else Fraction(25))


def test_rates_are_exact() -> None:
    assert parse_rate("24000/1001") * 1001 == 24000
    assert rate_label(Fraction(24000, 1001)) == "23.976"
    with pytest.raises(ValueError):
        parse_rate("0")
