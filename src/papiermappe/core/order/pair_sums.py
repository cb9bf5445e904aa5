"""The sums behind an alignment, over all ways through both runs: compiled, for there are many."""

import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled

IMPOSSIBLE = -1e30
NO_NUMBER = -1
P_MISSED, P_TWICE = 0.004, 0.004  # a sheet, in one of the runs
P_BEGINS_ANEW = 0.005  # at a sheet, that numbers go on from elsewhere
NUMBER_RIGHT, NUMBER_BY_CHANCE = 0.9, 0.02

_PAIR, _FRONT_ALONE, _BACK_ALONE, _FRONT_TWICE, _BACK_TWICE = range(5)
_STEPS = 5
_FRONTS_LAID, _BACKS_LAID = np.array([1, 1, 0, 1, 0]), np.array([1, 0, 1, 0, 1])
_SHIFT = np.array([0, 0, 1, -1, 0])  # what the step makes of the number that the first front would have
_PRIOR = np.log([1 - 2 * P_MISSED - 2 * P_TWICE, P_MISSED, P_MISSED, P_TWICE, P_TWICE])
_LOG_ANEW, _LOG_GOES_ON = float(np.log(P_BEGINS_ANEW)), float(np.log(1 - P_BEGINS_ANEW))
_LOG_RIGHT = float(np.log(NUMBER_RIGHT / NUMBER_BY_CHANCE))
_LOG_WRONG = float(np.log((1 - NUMBER_RIGHT) / (1 - NUMBER_BY_CHANCE)))


@compiled("f8(f8, f8)")
def _added(one: float, other: float) -> float:
    """Return the logarithm of the sum of two numbers given by theirs."""
    high, low = max(one, other), min(one, other)
    return high if low < high - 50 else high + np.log1p(np.exp(low - high))


@compiled("f8(i8[::1], i8)")
def _printed(numbers: NDArray[np.int64], expected: int) -> float:
    """Return the log likelihood ratio of what is printed, where a number is expected."""
    if numbers[0] == NO_NUMBER:
        return 0.0
    for number in numbers:
        if number == expected:
            return _LOG_RIGHT
    return _LOG_WRONG


@compiled("i8(i8[::1], i8, i8)")
def _shifted(bases: NDArray[np.int64], state: int, by: int) -> int:
    """Return the state of the base that is higher by a number; where there is none, that of unknown numbers."""
    if by == 0:
        return state
    at = np.searchsorted(bases, bases[state] + by)
    return at if at < len(bases) and bases[at] == bases[state] + by else len(bases)


@compiled("f8(f8, f8)")
def _as_well(again, before):  # type: ignore[no-untyped-def]
    """Return what speaks for a side that came again by its pair: little where it fits much worse than before."""
    return max(0.0, min(again, 2 * again - before))


@compiled(
    "Tuple((f8, i8, i8, i8))"
    "(i8, i8, i8, i8, f8[:, ::1], f8[::1], f8[::1], i8[:, ::1], i8[:, ::1], i8[::1], i8, i8, i8, i8)",
)
def _taken(  # type: ignore[no-untyped-def]  # numba's own types stand above
    step, front, back, state, pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high
):
    """Return the weight of a step from a state, and the fronts, backs and base after it."""
    to_front, to_back = front + _FRONTS_LAID[step], back + _BACKS_LAID[step]
    is_there = to_front <= len(fronts) and to_back <= len(backs) and low <= to_back - to_front <= high
    again = step in (_FRONT_TWICE, _BACK_TWICE)
    if not is_there or (again and (front if step == _FRONT_TWICE else back) == 0):
        return IMPOSSIBLE, front, back, state
    weight = _PRIOR[step]
    if step == _PAIR:
        weight += pairs[front, back]
    elif again:
        # what comes twice belongs to the other side of its sheet as well the second time
        if step == _FRONT_TWICE:
            weight += front_twice[front] + (
                _as_well(pairs[front, back - 1], pairs[front - 1, back - 1]) if back > 0 else 0
            )
        else:
            weight += back_twice[back] + (
                _as_well(pairs[front - 1, back], pairs[front - 1, back - 1]) if front > 0 else 0
            )
    if state == len(bases):
        return weight, to_front, to_back, state
    expected = bases[state] + by * front - (by if again else 0)
    if _FRONTS_LAID[step]:
        weight += _printed(fronts[front], expected)
    if _BACKS_LAID[step]:
        weight += _printed(backs[back], expected + plus)
    return weight, to_front, to_back, _shifted(bases, state, by * _SHIFT[step])


@compiled("void(f8[::1], f8[::1], i2[::1])")
def _begin_anew(best, ahead, anew) -> None:  # type: ignore[no-untyped-def]
    """Let numbers go on from elsewhere, at a place."""
    states = len(best)
    highest, source = best.max(), best.argmax()
    everything = IMPOSSIBLE
    for state in range(states):
        everything = _added(everything, ahead[state])
    share = _LOG_ANEW - np.log(states)
    for state in range(states):
        ahead[state] = _added(ahead[state] + _LOG_GOES_ON, everything + share)
        best[state] += _LOG_GOES_ON
        if state != source and highest + share > best[state]:
            best[state] = highest + share
            anew[state] = source


@compiled(
    "f8[:, :, ::1](f8[:, ::1], f8[::1], f8[::1], i8[:, ::1], i8[:, ::1], i8[::1], i8, i8, i8, i8)",
)
def _behind(pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high):  # type: ignore[no-untyped-def]
    """Return the log likelihood of all ways from each state, after numbers may have begun anew there, to the end."""
    states = len(bases) + 1
    sums = np.full((len(fronts) + 1, high - low + 1, states), IMPOSSIBLE)
    entering = np.full(sums.shape, IMPOSSIBLE)
    sums[-1, len(backs) - len(fronts) - low] = 0.0
    share = _LOG_ANEW - np.log(states)
    for front in range(len(fronts), -1, -1):
        for back in range(min(len(backs), front + high), max(0, front + low) - 1, -1):
            here = back - front - low
            for state in range(states):
                for step in range(_STEPS):
                    weight, to_front, to_back, to = _taken(
                        step,
                        front,
                        back,
                        state,
                        pairs,
                        front_twice,
                        back_twice,
                        fronts,
                        backs,
                        bases,
                        by,
                        plus,
                        low,
                        high,
                    )
                    if weight > IMPOSSIBLE / 2:
                        sums[front, here, state] = _added(
                            sums[front, here, state], weight + entering[to_front, to_back - to_front - low, to]
                        )
            everything = IMPOSSIBLE
            for state in range(states):
                everything = _added(everything, sums[front, here, state])
            for state in range(states):
                entering[front, here, state] = _added(sums[front, here, state] + _LOG_GOES_ON, everything + share)
    return sums


@compiled("f8(f8[::1], i8)")
def _entering(sums: NDArray[np.float64], state: int) -> float:
    """Return the log likelihood of all ways on from a state that has just been reached."""
    everything = IMPOSSIBLE
    for one in range(len(sums)):
        everything = _added(everything, sums[one])
    return _added(sums[state] + _LOG_GOES_ON, everything + _LOG_ANEW - np.log(len(sums)))


@compiled()
def _way_back(  # type: ignore[no-untyped-def]
    best, came, came_state, anew, ahead, behind, total,
    pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high,
):  # fmt: skip
    """Return the steps of the best way, each with its share of all ways."""
    most = len(fronts) + len(backs)
    steps, shares = np.zeros(most, np.int64), np.zeros(most)
    front, back = len(fronts), len(backs)
    state = best[front, back - front - low].argmax()
    count = 0
    while front > 0 or back > 0:
        here = back - front - low
        step = came[front, here, state]
        source = came_state[front, here, state]
        from_front = front - _FRONTS_LAID[step]
        from_back = back - _BACKS_LAID[step]
        share = IMPOSSIBLE
        for one in range(best.shape[2]):
            weight, _, _, to = _taken(
                step,
                from_front,
                from_back,
                one,
                pairs,
                front_twice,
                back_twice,
                fronts,
                backs,
                bases,
                by,
                plus,
                low,
                high,
            )
            if weight > IMPOSSIBLE / 2:
                share = _added(
                    share,
                    ahead[from_front, from_back - from_front - low, one] + weight + _entering(behind[front, here], to),
                )
        steps[count], shares[count] = step, np.exp(min(0.0, share - total))
        count += 1
        front, back, state = from_front, from_back, source
        here = back - front - low
        if anew[front, here, state] >= 0 and (front > 0 or back > 0):
            state = anew[front, here, state]
    return steps[:count][::-1].copy(), shares[:count][::-1].copy(), total


@compiled(
    "Tuple((i8[::1], f8[::1], f8))(f8[:, ::1], f8[::1], f8[::1], i8[:, ::1], i8[:, ::1], i8[::1], i8, i8, i8, i8)",
)
def aligned(pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high):  # type: ignore[no-untyped-def]
    """Return steps, confidences and the log likelihood of all ways."""
    states = len(bases) + 1
    shape = (len(fronts) + 1, high - low + 1, states)  # by how many more backs than fronts, from the fewest
    best = np.full(shape, IMPOSSIBLE)
    ahead = np.full(shape, IMPOSSIBLE)
    came = np.full(shape, np.int8(-1), np.int8)
    came_state = np.zeros(shape, np.int16)
    anew = np.full(shape, np.int16(-1), np.int16)
    best[0, -low] = ahead[0, -low] = -np.log(states)
    for front in range(shape[0]):
        for back in range(max(0, front + low), min(len(backs), front + high) + 1):
            here = back - front - low
            if ahead[front, here].max() <= IMPOSSIBLE / 2:
                continue
            _begin_anew(best[front, here], ahead[front, here], anew[front, here])
            for state in range(states):
                for step in range(_STEPS):
                    weight, to_front, to_back, to = _taken(
                        step,
                        front,
                        back,
                        state,
                        pairs,
                        front_twice,
                        back_twice,
                        fronts,
                        backs,
                        bases,
                        by,
                        plus,
                        low,
                        high,
                    )
                    if weight <= IMPOSSIBLE / 2:
                        continue
                    there = to_back - to_front - low
                    ahead[to_front, there, to] = _added(ahead[to_front, there, to], ahead[front, here, state] + weight)
                    if best[front, here, state] + weight > best[to_front, there, to]:
                        best[to_front, there, to] = best[front, here, state] + weight
                        came[to_front, there, to] = step
                        came_state[to_front, there, to] = state
    behind = _behind(pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high)
    total = IMPOSSIBLE
    for state in range(states):
        total = _added(total, ahead[-1, len(backs) - len(fronts) - low, state])
    return _way_back(
        best, came, came_state, anew, ahead, behind, total,
        pairs, front_twice, back_twice, fronts, backs, bases, by, plus, low, high,
    )  # fmt: skip
