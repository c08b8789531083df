"""Dates, durations and periods to both ends of the calendar; months and currencies by name."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

import iso4217
import pytest
from babel import localedata
from babel.dates import format_date
from hypothesis import given
from hypothesis import strategies as st

from flatledger import Layout, LayoutError
from flatledger.values import times
from flatledger.values.functions import text_of
from flatledger.values.literals import Interval
from flatledger.values.numbers import ValueFaultError
from flatledger.values.periods import parse_period
from flatledger.values.reading_texts import DateReader
from tests.conftest import table

DAY = dt.timedelta(days=1)
moments = st.dates() | st.datetimes()
spans = st.builds(Interval, st.integers(-40, 40), st.timedeltas(-400 * DAY, 400 * DAY))


def next_month(day: Any) -> Any:
    """A month later, by walking over the days between."""
    walked = day.replace(day=28) + 4 * DAY  # within the next month
    last = walked.replace(day=28)
    while (last + DAY).month == last.month:
        last += DAY
    return walked.replace(day=min(day.day, last.day))


@given(moments, st.timedeltas(-3 * DAY, 3 * DAY))
def test_a_month_later_and_some_time(moment: Any, time: dt.timedelta) -> None:
    try:
        expected = next_month(moment.replace(year=min(moment.year, 9998)))
        expected = times.as_timestamp(expected) if time % DAY else expected
        expected += time
    except OverflowError:
        return
    start = moment.replace(year=min(moment.year, 9998))
    assert times.calculate(start, "+", Interval(1, time)) == expected


def test_every_day_of_the_last_december_can_be_calculated_with() -> None:
    for number in range(1, 32):
        day = dt.date(9999, 12, number)
        assert times.calculate(day, "+", Interval(0, dt.timedelta(0))) == day
        assert times.calculate(day, "-", Interval(12, 0 * DAY)) == day.replace(year=9998)
    with pytest.raises(ValueFaultError, match="beyond the calendar"):
        times.calculate(dt.date(9999, 12, 31), "+", Interval(0, DAY))


@given(spans, st.integers(1, 12))
def test_a_duration_written_is_the_duration_read(span: Interval, parts: int) -> None:
    assert times.as_interval(str(span)) == span
    whole = times.calculate(span, "*", parts)
    assert times.calculate(whole, "/", parts) == span
    if span.months % parts:
        with pytest.raises(ValueFaultError, match="part of a month"):
            times.calculate(span, "/", parts)
    shifted = times.calculate(times.calculate(dt.datetime(2026, 3, 15), "+", span), "-", span)
    assert span.months or shifted == dt.datetime(2026, 3, 15)


@given(spans, spans)
def test_durations_have_one_order(one: Interval, other: Interval) -> None:
    days = [Decimal(x.months) * 146_097 / 4_800 + Decimal(x.time / DAY) for x in (one, other)]
    if abs(days[0] - days[1]) > Decimal("0.0001"):
        assert times.compare(one, "<", other) == (days[0] < days[1])
    assert times.compare(one, "<=", other) or times.compare(other, "<", one)


DAYS = {"": (365, 366), "-Q4": (92,), "-12": (31,), "-W01": (7,), "-W53": (7,), "-12-31": (1,)}


@given(st.integers(0, 9999), st.sampled_from(sorted(DAYS)))
def test_every_period_is_in_the_calendar_or_told(year: int, part: str) -> None:
    there = year > 0 and (part != "-W53" or dt.date(year, 12, 28).isocalendar().week == 53)
    if not there:
        with pytest.raises(ValueError, match="in the calendar"):
            parse_period(f"{year:04}{part}", dt.date(2026, 3, 1))
        return
    period = parse_period(f"{year:04}{part}", dt.date(2026, 3, 1))
    assert (period.last - period.first).days + 1 in DAYS[part]
    assert parse_period("9999-W52", dt.date.today()).last == dt.date.max


@given(
    st.sampled_from(sorted(localedata.locale_identifiers())),
    st.integers(1, 12),
    st.sampled_from(["d MMMM yyyy", "d. MMM yyyy"]),
    st.sampled_from([str, str.upper, str.lower]),
)
def test_months_are_read_in_every_locale(locale: str, month: int, pattern: str, case: Any) -> None:
    day = dt.date(2026, month, 7)
    for written in (pattern, pattern.replace("M", "L")):  # in a date, and standing alone
        text = case(format_date(day, written, locale))
        assert DateReader(pattern, locale)(text) == day


def test_minor_units_are_those_of_iso_4217() -> None:
    for currency in iso4217.Currency:
        unit = {"from": "minor-unit", "to": currency.code}
        layout = {"columns": [{"X": {"value": "x", "unit": unit}}]}
        if currency.exponent is None:
            with pytest.raises(LayoutError, match="no minor unit"):
                Layout.from_data(layout)
        else:
            rows, _ = table(layout, [{"x": 12345}])
            assert rows == [(Decimal(12345).scaleb(-currency.exponent),)]
    assert [iso4217.Currency(code).exponent for code in ("RSD", "IQD", "KRW")] == [2, 3, 0]


@pytest.mark.parametrize("datatype", ["duration", "time", "dateTime", "date", "string"])
@pytest.mark.parametrize(
    "sign", ["+ interval '1' day", "- interval '1' day", "- date '2026-01-01'"]
)
@pytest.mark.parametrize(
    "value", ["2026-01-01", "2026-01-01T10:00+02:00", "PT1H", "10:00", 1, True]
)
def test_sums_of_times_are_of_their_kind(datatype: str, sign: str, value: object) -> None:
    layout = {
        "columns": [{"A": {"value": f"day {sign}", "datatype": datatype}}],
        "sort": ["A"],
        "primary-key": ["A"],
    }
    rows, balance = table(layout, [{"day": value}, {"day": None}])
    assert balance.balanced
    if value == "2026-01-01" and datatype in ("date", "dateTime") and "interval" in sign:
        day = "2026-01-02" if "+" in sign else "2025-12-31"
        assert text_of(rows[0][0]).startswith(day)
