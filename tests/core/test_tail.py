"""The fit of a tail, against distributions that are known, and a published one."""

import numpy as np
import pytest
import scipy.stats

from iskelo.core.timing.tail import NoFit, cluster_peaks, fit_tail, pareto_fit, return_level
from iskelo.core.timing.wakeups import wakeups_of


@pytest.mark.parametrize(("shape", "scale"), [(-0.2, 1.0), (0.0, 0.3), (0.2, 2.0), (0.4, 0.05)])
def test_a_known_distribution_is_found_again(shape: float, scale: float) -> None:
    """Outside check: excesses drawn by scipy.stats.genpareto, and its own fit of them."""
    drawn = scipy.stats.genpareto.rvs(shape, scale=scale, size=4000, random_state=3)
    found_scale, found_shape = pareto_fit(drawn)
    assert found_shape == pytest.approx(shape, abs=0.06)
    assert found_scale == pytest.approx(scale, rel=0.06)
    theirs_shape, _, theirs_scale = scipy.stats.genpareto.fit(drawn, floc=0)
    assert found_shape == pytest.approx(theirs_shape, abs=0.01)
    assert found_scale == pytest.approx(theirs_scale, rel=0.01)


@pytest.mark.parametrize(("shape", "scale"), [(-0.1, 1.0), (0.0, 1.0), (0.2, 1.0)])
def test_the_level_told_for_ten_times_as_many_is_the_true_one_within_its_range(shape: float, scale: float) -> None:
    """Outside check: the quantile of the whole distribution that was drawn from."""
    inside = 0
    for seed in range(8):
        drawn = scipy.stats.genpareto.rvs(shape, scale=scale, size=4000, random_state=seed)
        tail = fit_tail(drawn.tolist())
        true = float(scipy.stats.genpareto.isf(1 / tail.once_in, shape, scale=scale))
        assert tail.level_from < tail.level < tail.level_to
        inside += tail.level_from < true < tail.level_to
    # 95 % each: eight of eight two times in three, fewer than six hardly ever.
    assert inside >= 6


def test_the_return_level_of_the_daily_rainfall_example() -> None:
    """Coles (2001), chapter 4, from memory: 152 of 17 531 days above 30 mm, scale 7.44, shape 0.184.

    The level of a hundred years is then 106 mm.
    """
    assert return_level(30, 7.44, 0.184, 152 / 17_531, 100 * 365) == pytest.approx(106.3, abs=0.5)


def test_late_ones_that_follow_each_other_are_one_cluster_and_count_by_the_worst() -> None:
    values = np.array([0, 5, 6, 7, 0, 0, 0, 9, 0], float)
    assert cluster_peaks(values, 4.0).tolist() == [7, 9]


def test_a_tail_is_not_fitted_to_too_few_too_heavy_or_changing_ones() -> None:
    random = np.random.default_rng(2)
    with pytest.raises(NoFit, match="separate clusters above"):
        fit_tail(random.exponential(1, 500).tolist())
    with pytest.raises(NoFit, match="too heavy"):
        fit_tail(scipy.stats.genpareto.rvs(0.9, size=4000, random_state=1).tolist())
    # The shares above the threshold are alike, what they hold is not.
    # Tails that begin alike; the first one ends soon, the second does not.
    calm, wild = (
        np.where(random.random(4000) < 0.1, 1 + tail, 0.5 * random.random(4000))
        for tail in (0.2 * random.random(4000), random.exponential(0.1, 4000))
    )
    with pytest.raises(NoFit, match="first half and its second"):
        fit_tail([*calm, *wild])


def test_a_run_of_wake_ups_says_what_its_tail_says_or_why_it_says_nothing() -> None:
    random = np.random.default_rng(4)
    told = wakeups_of(random.exponential(0.1, 4000).tolist(), 1.0)
    assert told.tail.startswith("By a fit of its tail one in 40000 is more than ")
    assert "No tail is fitted: " in wakeups_of([0.1, 0.2, 0.3], 1.0).tail
