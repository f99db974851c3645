import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import sparse

from galena.core.uncertainty import Moving, Sensitivity

ROWS = 7


def dense(one: Sensitivity) -> np.ndarray:
    """Write all derivatives out as one matrix."""
    found = np.diag(np.broadcast_to(one.own, ROWS)).astype(float)
    if one.near is not None:
        found = found + one.near.toarray()
    for a, b in one.totals:
        found = found + np.broadcast_to(a, ROWS)[:, None] * b
    for a, b in one.runnings:
        found = found + np.tril(np.broadcast_to(a, ROWS)[:, None] * b, -1)
    return found


def applied(step: str, one: Sensitivity, matrix: np.ndarray, draw: np.random.Generator):
    """Do one step to the sensitivity, and to the matrix that it stands for."""
    a, b = draw.normal(size=ROWS), draw.normal(size=ROWS)
    if step == "scaled":
        return one.scaled(a), a[:, None] * matrix
    if step == "through":
        weights = sparse.random(ROWS, ROWS, 0.4, random_state=draw, format="csr")
        return one.through(weights), weights.toarray() @ matrix
    if step == "summed":
        return one.summed(a).scaled(b), b[:, None] * (a @ matrix)
    if step == "accumulated":
        running = np.tril(np.broadcast_to(a, (ROWS, ROWS)), -1) + np.diag(b)
        return one.accumulated(a, b), running @ matrix
    other = Sensitivity(ROWS, a).accumulated(b, a)
    return one.plus(other), matrix + dense(other)


STEPS = st.lists(
    st.sampled_from(["scaled", "through", "summed", "accumulated", "plus"]), max_size=6
)


@given(STEPS, st.integers(0, 2**32 - 1))
def test_any_chain_of_steps_keeps_every_derivative(steps, seed):
    draw = np.random.default_rng(seed)
    one, matrix = Sensitivity(ROWS, 1.0), np.eye(ROWS)
    for step in steps:
        one, matrix = applied(step, one, matrix, draw)
    size = max(1.0, np.abs(matrix).max())
    assert np.abs(dense(one) - matrix).max() <= 1e-10 * size
    u = draw.random(ROWS)
    expected = matrix**2 @ u**2
    assert np.abs(one.variance(u) - expected).max() <= 1e-9 * size**2


@given(st.integers(0, 2**32 - 1), st.sampled_from([3, 5, 7]), st.booleans(), STEPS)
def test_a_moving_window_is_what_its_weights_are(seed, window, of_rate, steps):
    draw = np.random.default_rng(seed)
    rows = np.sort(draw.permutation(ROWS)[: max(window, 6)])
    moving = Moving(rows, np.cumsum(draw.random(rows.size) + 0.1), window, of_rate)
    own, left = draw.normal(size=ROWS), draw.normal(size=ROWS)
    one = Sensitivity(ROWS, own).windowed(moving).scaled(left)
    matrix = left[:, None] * moving.matrix(ROWS).toarray() * own
    assert one.followed == rows.size * window
    u = draw.random(ROWS)
    assert np.allclose(one.variance(u), matrix**2 @ u**2, rtol=1e-9, atol=1e-12)
    for step in steps:
        one, matrix = applied(step, one, matrix, draw)
    size = max(1.0, np.abs(matrix).max())
    assert np.abs(dense(one.whole) - matrix).max() <= 1e-10 * size
    assert np.abs(one.variance(u) - matrix**2 @ u**2).max() <= 1e-9 * size**2


def test_a_row_that_is_not_seen_goes_into_no_sum():
    own = np.array([1.0, np.nan, 1.0, 1.0, np.inf, 1.0, 1.0])
    weights = np.array([1.0, 0.0, 1.0, 1.0, 0.0, 1.0, 1.0])
    seen = np.flatnonzero(np.isfinite(own))
    variance = Sensitivity(ROWS, own).only(seen).summed(weights).variance(np.ones(ROWS))
    assert variance[0] == 5.0


def test_an_unknown_uncertainty_spoils_only_what_depends_on_it():
    near = sparse.csr_matrix(np.eye(ROWS, k=1))
    u = np.array([1.0, np.nan, 1.0, 1.0, 1.0, 1.0, 1.0])
    variance = Sensitivity(ROWS, 1.0, near).variance(u)
    assert np.isnan(variance[[0, 1]]).all()
    assert variance[2:].tolist() == [2.0, 2.0, 2.0, 2.0, 1.0]
