"""What a run of wake-ups says of the computer."""

import pytest
import scipy.stats

from iskelo.core.timing.wakeups import highest_rate, wakeups_of


@pytest.mark.parametrize("count", [20, 100, 1500, 100_000])
def test_the_rule_of_three_stays_above_the_exact_bound_and_near_it(count: int) -> None:
    """Outside check: the Clopper-Pearson bound for none in n, by scipy.stats.beta."""
    exact = scipy.stats.beta.ppf(0.95, 1, count)
    assert exact < highest_rate(count) < 1.08 * exact


def test_few_wake_ups_say_little() -> None:
    assert highest_rate(2) == 1


def test_a_run_is_told_by_its_middle_its_tail_and_its_worst() -> None:
    late = [0.05] * 1480 + [0.4] * 19 + [1.234]
    found = wakeups_of(late, 1.0)
    assert (found.count, found.median_ms, found.percentile_99_ms, found.worst_ms) == (1500, 0.05, 0.4, 1.234)
    said = "None of 1500 wake-ups was more than 1.23 ms late: later ones are rarer than 0.2 % (95 %)."
    assert found.statement == said
