"""Tails and quantiles are those of scipy's own distributions."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from galena.core import distributions

places = st.floats(-30, 30)
shares = st.floats(1e-12, 1 - 1e-12)
dofs = st.floats(1, 500)


def same(ours, theirs):
    assert ours == pytest.approx(theirs, rel=1e-9, abs=1e-300)


@given(places, shares)
def test_the_normal_distribution(x, share):
    same(distributions.normal_below(x), stats.norm.cdf(x))
    same(distributions.normal_above(x), stats.norm.sf(x))
    assert distributions.normal_quantile(share) == pytest.approx(stats.norm.ppf(share), abs=1e-12)


@given(places, shares, dofs)
def test_students_distribution(t, share, dof):
    same(distributions.student_above(t, dof), stats.t.sf(t, dof))
    same(distributions.student_above(np.array([t, -t]), dof)[1], stats.t.sf(-t, dof))
    expected = stats.t.ppf(share, dof)
    assert distributions.student_quantile(share, dof) == pytest.approx(expected, rel=1e-9, abs=1e-9)


@given(st.floats(0, 500), dofs, dofs)
def test_chi_square_and_f(value, dof, other):
    same(distributions.chi_square_above(value, dof), stats.chi2.sf(value, dof))
    same(distributions.f_above(value, dof, other), stats.f.sf(value, dof, other))
