"""How far long work has come: parts of it go on from where they begin, and nothing goes back."""

from __future__ import annotations

from lazzik.core.progress import Progress


def test_a_part_that_has_told_nothing_stands_where_it_begins() -> None:
    told: list[tuple[float, str]] = []
    whole = Progress(lambda share, said: told.append((share, said)))
    whole.part(0.0, 0.6).report(1.0, "shapes")
    last = whole.part(0.6, 1.0)
    last.hear()
    inner = last.part(0.5, 1.0)
    inner.hear()
    inner.report(0.5, "motion")
    inner.hear()
    assert [share for share, _ in told] == [0.6, 0.6, 0.8, 0.9, 0.9]
    assert told[-1][1] == "motion"


def test_what_is_begun_again_stands_still_until_it_is_as_far_as_before() -> None:
    told: list[float] = []
    whole = Progress(lambda share, _: told.append(share))
    one, two = whole.shared(2)
    one.report(0.8)
    two.report(0.2)
    one.report(0.1)
    one.report(0.6)
    one.report(1.0)
    assert told == [0.4, 0.5, 0.5, 0.5, 0.6]
