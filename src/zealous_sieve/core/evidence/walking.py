"""Walking trades over bars, one bar after another: a compiled loop.

All prices in here are signed by the side: those of a short trade are turned over, so that gains are always
upward, highs and lows change places, and costs make entries dearer and exits cheaper. What belongs together
travels in tuples with names, of which compiled code knows the fields.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.functions.compiling import compiled, compiled_within

Whole = NDArray[np.int64]

# Orders
NO_ORDER, AT_MARKET, STOP_ORDER, LIMIT_ORDER, ON_SECOND, AT_CLOSE = range(6)
# What became of a signal
(
    TRADED, ADDED, PASSED_OVER, NOT_FILLED, STOP_UNKNOWN, WRONG_SIDE, HELD_NO_MORE, NO_PRICE, ENOUGH_TODAY,
    NO_BAR_AFTER, UNSEEN,
) = range(11)  # fmt: skip
# Why a share left
BY_STOP, BY_TARGET, BY_CONDITION, BY_BARS, BY_AGAINST, BY_SESSION_END, STILL_OPEN = range(7)
_NOT_PENDING = -1
_EMPTY = 1e-12


class WalkRules(NamedTuple):
    """What rules ask: the kind of the ``order`` and the bars it ``expires`` after; the rest as the rules
    have it."""

    order: int
    expires: int
    has_stop: bool
    trails: bool
    hold: int
    against: int
    session_end: bool
    one: bool
    additions: int
    a_day: int
    multiples: Column
    """Of each target so many first risks, NaN where it has a price."""
    shares: Column


class PriceColumns(NamedTuple):
    """Prices as they are, of bars or of finer ones."""

    open: Column
    high: Column
    low: Column
    close: Column


class MarketRows(NamedTuple):
    """What is known of each row: its prices; which ``finer`` bars make it up, from ``first`` to before
    ``last``; the number of its session, and whether it is the last of that; 1 where the setup holds, and
    where the exit is rules for; the stop, signed."""

    bars: PriceColumns
    finer: PriceColumns
    first: Whole
    last: Whole
    sessions: Whole
    is_session_end: NDArray[np.bool_]
    setups: Column
    exits: Column
    stops: Column


class Orders(NamedTuple):
    """What is known of each signal of one side, in the order of instruments and bars: its row, and the row
    after the last of its instrument; signed, the stop, the price of the order (the close where it has none)
    and the prices of the targets ``(signals, targets)``; the tick and the costs, as ``TICK_SIZE`` and
    so on."""

    rows: Whole
    ends: Whole
    stops: Column
    levels: Column
    targets: Column
    costs: Column


TICK_SIZE, FIXED_COST, RELATIVE_COST, SLIPPAGE = range(4)


class WalkOutcome(NamedTuple):
    """What is written: the fate of each signal; of each share that left counts and values; and of all how
    many shares, on how many bars the worse was taken, and on how many finer bars decided."""

    fates: Whole
    counts: Whole
    values: Column
    tally: Whole


OF_TRADE, OF_SIGNAL, ENTRY_ROW, EXIT_ROW, REASON, BARS_IN = range(6)
ENTRY_AT, STOP_WAS, EXIT_AT, SHARE, RISK_WAS = range(5)
SHARES_WRITTEN, WORSE, BY_FINER = range(3)


class _Trade(NamedTuple):
    """The trade that is on: its state and counters as named below; of each unit its entry and what is left
    of it, its signal and the row of its entry; the prices of its targets, infinite where they are done
    with; how many trades began in each session."""

    state: Column
    counters: Whole
    units: Column
    owners: Whole
    targets: Column
    begun: Whole


_STOP_AT, _FIRST_STOP, _RISK, _LEVEL = range(4)
_ORDER, _SIGNAL, _UNITS, _SINCE, _NUMBER, _PLACED, _PENDING, _AGAINST = range(8)


@compiled_within
def _cost(price, costs, slips):  # type: ignore[no-untyped-def]
    """What one side of a trade loses at a price."""
    cost = costs[FIXED_COST] + costs[RELATIVE_COST] * abs(price)
    return cost + costs[SLIPPAGE] if slips else cost


@compiled_within
def _leave(trade, unit, share, price, row, bars, reason, costs, done):  # type: ignore[no-untyped-def]
    """A share of a unit leaves at a price, by a limit or at the market; it is written down."""
    at = done.tally[SHARES_WRITTEN]
    counts, values = done.counts[at], done.values[at]
    counts[OF_TRADE], counts[OF_SIGNAL] = trade.counters[_NUMBER], trade.owners[unit, 0]
    counts[ENTRY_ROW], counts[EXIT_ROW] = trade.owners[unit, 1], row
    counts[REASON], counts[BARS_IN] = reason, bars
    values[ENTRY_AT], values[STOP_WAS] = trade.units[unit, 0], trade.state[_FIRST_STOP]
    values[EXIT_AT] = price - _cost(price, costs, reason != BY_TARGET)
    values[SHARE], values[RISK_WAS] = share, trade.state[_RISK]
    done.tally[SHARES_WRITTEN] += 1
    trade.units[unit, 1] -= share


@compiled_within
def _leave_all(trade, price, row, bars, reason, costs, done):  # type: ignore[no-untyped-def]
    """All that is left leaves."""
    for unit in range(trade.counters[_UNITS]):
        if trade.units[unit, 1] > _EMPTY:
            _leave(trade, unit, trade.units[unit, 1], price, row, bars, reason, costs, done)
    trade.counters[_UNITS] = 0


@compiled_within
def _take_targets(trade, reach, at, row, bars, rules, costs, done):  # type: ignore[no-untyped-def]
    """Targets up to ``reach`` are filled, ``at`` a price, or at their own where that is NaN."""
    left = 0.0
    for n in range(len(trade.targets)):
        if not trade.targets[n] <= reach:
            continue
        price = trade.targets[n] if np.isnan(at) else at
        for unit in range(trade.counters[_UNITS]):
            share = min(rules.shares[n], trade.units[unit, 1])
            if share > _EMPTY:
                _leave(trade, unit, share, price, row, bars, BY_TARGET, costs, done)
        trade.targets[n] = np.inf
    for unit in range(trade.counters[_UNITS]):
        left += trade.units[unit, 1]
    if left <= _EMPTY:
        trade.counters[_UNITS] = 0


@compiled_within
def _join(trade, price, slips, row, since, session, orders, rules, done):  # type: ignore[no-untyped-def]
    """An order is filled: a trade begins, or is added to. Says whether it did."""
    state, count = trade.state, trade.counters
    signal = count[_SIGNAL]
    count[_ORDER] = NO_ORDER
    told = price + _cost(price, orders.costs[signal], slips)
    if count[_UNITS] == 0:
        stop = orders.stops[signal] if rules.has_stop else -np.inf
        if stop >= price:
            done.fates[signal] = WRONG_SIDE
            return False
        if rules.a_day > 0 and trade.begun[session] >= rules.a_day:
            done.fates[signal] = ENOUGH_TODAY
            return False
        trade.begun[session] += 1
        state[_STOP_AT] = state[_FIRST_STOP] = stop
        state[_RISK] = told - stop if rules.has_stop else np.nan
        count[_SINCE] = since
        for n in range(len(trade.targets)):
            aim = orders.targets[signal, n]
            if not np.isnan(rules.multiples[n]):
                aim = told + rules.multiples[n] * state[_RISK]
            trade.targets[n] = np.inf if np.isnan(aim) else aim
        done.fates[signal] = TRADED
    else:
        done.fates[signal] = ADDED
    unit = count[_UNITS]
    trade.units[unit, 0], trade.units[unit, 1] = told, 1.0
    trade.owners[unit, 0], trade.owners[unit, 1] = signal, row
    count[_UNITS] += 1
    return True


@compiled_within
def _fill(trade, opened, high, low, tick):  # type: ignore[no-untyped-def]
    """The price at which the order that works is filled on a bar, NaN where it is not; and whether that is
    within the bar."""
    order, level = trade.counters[_ORDER], trade.state[_LEVEL]
    if order == AT_MARKET or (order == STOP_ORDER and opened >= level):
        return opened, False
    if order == LIMIT_ORDER and opened <= level:
        return opened, False
    if (order == STOP_ORDER and high >= level) or (order == LIMIT_ORDER and low <= level - tick):
        return level, True
    return np.nan, False


@compiled_within
def _reached(trade, price):  # type: ignore[no-untyped-def]
    """How many targets lie at a price or below."""
    count = 0
    for n in range(len(trade.targets)):
        count += trade.targets[n] <= price
    return count


@compiled_within
def _from_the_open(trade, bar, row, orders, rules, done):  # type: ignore[no-untyped-def]
    """A bar of a trade that was on as it opened: the worse, where the bar does not say what came first;
    whether that is so."""
    opened, high, low, _ = bar
    costs, bars = orders.costs[trade.counters[_SIGNAL]], row - trade.counters[_SINCE] + 1
    if opened <= trade.state[_STOP_AT]:
        _leave_all(trade, opened, row, bars, BY_STOP, costs, done)
        return False
    _take_targets(trade, opened, opened, row, bars, rules, costs, done)
    if trade.counters[_UNITS] == 0:
        return False
    order = trade.counters[_ORDER]
    price, is_within = _fill(trade, opened, high, low, costs[TICK_SIZE])
    adds = not np.isnan(price)
    if adds and not is_within:
        _join(trade, price, order != LIMIT_ORDER, row, 0, 0, orders, rules, done)
        adds = False
    is_stopped, reach = low <= trade.state[_STOP_AT], high - costs[TICK_SIZE]
    meets = _reached(trade, reach) > 0
    # What is added within the bar is stopped with the rest, and has no part in its targets.
    if adds and is_stopped:
        _join(trade, price, order != LIMIT_ORDER, row, 0, 0, orders, rules, done)
    if is_stopped:
        _leave_all(trade, trade.state[_STOP_AT], row, bars, BY_STOP, costs, done)
    else:
        _take_targets(trade, reach, np.nan, row, bars, rules, costs, done)
        if adds and trade.counters[_UNITS] > 0:
            _join(trade, price, order != LIMIT_ORDER, row, 0, 0, orders, rules, done)
    return (is_stopped and meets) or (adds and (is_stopped or meets))


@compiled_within
def _from_the_order(trade, bar, row, session, orders, rules, done):  # type: ignore[no-untyped-def]
    """A bar on which the order of a trade may be filled, told as ``_from_the_open`` does."""
    opened, high, low, close = bar
    order, costs = trade.counters[_ORDER], orders.costs[trade.counters[_SIGNAL]]
    price, is_within = _fill(trade, opened, high, low, costs[TICK_SIZE])
    if np.isnan(price):
        return False
    if not _join(trade, price, order != LIMIT_ORDER, row, row, session, orders, rules, done):
        return False
    _take_targets(trade, price, price, row, 1, rules, costs, done)
    if trade.counters[_UNITS] == 0:
        return False
    stop, reach = trade.state[_STOP_AT], high - costs[TICK_SIZE]
    is_stopped, meets = low <= stop, _reached(trade, reach)
    doubtful = is_stopped and meets > 0
    if is_within and order == STOP_ORDER:
        doubtful = doubtful or (is_stopped and not close <= stop)
    elif is_within:
        # The high may have been before the limit was filled; the close was not.
        reach = close - costs[TICK_SIZE]
        doubtful = doubtful or (not is_stopped and _reached(trade, reach) < meets)
    if is_stopped:
        _leave_all(trade, stop, row, 1, BY_STOP, costs, done)
    else:
        _take_targets(trade, reach, np.nan, row, 1, rules, costs, done)
    return doubtful


@compiled_within
def _within(trade, bar, row, session, orders, rules, done):  # type: ignore[no-untyped-def]
    """What happens within a bar; whether the bar leaves open what came first."""
    if trade.counters[_UNITS] > 0:
        return _from_the_open(trade, bar, row, orders, rules, done)
    if trade.counters[_ORDER] == NO_ORDER:
        return False
    return _from_the_order(trade, bar, row, session, orders, rules, done)


@compiled_within
def _signed(sign, bars, row):  # type: ignore[no-untyped-def]
    """Open, high, low and close of a row, signed by the side."""
    opened, close = sign * bars.open[row], sign * bars.close[row]
    if sign > 0:
        return opened, bars.high[row], bars.low[row], close
    return opened, -bars.low[row], -bars.high[row], close


@compiled_within
def _agrees(sign, finer, first, last, bar):  # type: ignore[no-untyped-def]
    """Whether finer bars begin where the bar that they make up does, and reach just as high and low."""
    if first >= last or _signed(sign, finer, first)[0] != bar[0]:
        return False
    highest, lowest = -np.inf, np.inf
    for row in range(first, last):
        _, high, low, _ = _signed(sign, finer, row)
        if high > highest:
            highest = high
        if low < lowest:
            lowest = low
    return highest == bar[1] and lowest == bar[2]


@compiled_within
def _copy(trade, into):  # type: ignore[no-untyped-def]
    """How a trade stands, written over how it stood."""
    for n in range(len(trade.state)):
        into.state[n] = trade.state[n]
    for n in range(len(trade.counters)):
        into.counters[n] = trade.counters[n]
    for n in range(len(trade.targets)):
        into.targets[n] = trade.targets[n]
    for unit in range(len(trade.units)):
        for n in range(2):
            into.units[unit, n], into.owners[unit, n] = trade.units[unit, n], trade.owners[unit, n]


@compiled_within
def _bar(trade, before, sign, row, market, orders, rules, done):  # type: ignore[no-untyped-def]
    """What happens within a bar: where that is not told by it, as finer bars tell it, else the worse.
    ``before`` has room for how things stood."""
    bar, session = _signed(sign, market.bars, row), market.sessions[row]
    _copy(trade, before)
    signal, written = trade.counters[_SIGNAL], done.tally[SHARES_WRITTEN]
    fate, begun = done.fates[signal], trade.begun[session]
    if not _within(trade, bar, row, session, orders, rules, done):
        return
    first, last = market.first[row], market.last[row]
    if not _agrees(sign, market.finer, first, last, bar):
        done.tally[WORSE] += 1
        return
    _copy(before, trade)
    done.tally[SHARES_WRITTEN], done.fates[signal], trade.begun[session] = written, fate, begun
    is_worse = False
    for finer in range(first, last):
        was_on = trade.counters[_UNITS] > 0
        bar = _signed(sign, market.finer, finer)
        if _within(trade, bar, row, session, orders, rules, done):
            is_worse = True
        if was_on and trade.counters[_UNITS] == 0:
            break
    done.tally[WORSE if is_worse else BY_FINER] += 1


@compiled_within
def _order_at_close(trade, row, market, rules, done):  # type: ignore[no-untyped-def]
    """What becomes of an order that works as a bar closes."""
    count = trade.counters
    order, signal = count[_ORDER], count[_SIGNAL]
    if order == ON_SECOND and market.setups[row] == 1.0:
        count[_ORDER] = AT_MARKET
        return
    fate = UNSEEN
    if order == ON_SECOND:
        fate = HELD_NO_MORE
    elif order == AT_MARKET:
        fate = NO_PRICE
    elif order != NO_ORDER and row >= count[_PLACED] + rules.expires:
        fate = NOT_FILLED
    if fate != UNSEEN:
        done.fates[signal], count[_ORDER] = fate, NO_ORDER


@compiled_within
def _decide(state, count, bars, is_against, asks_exit, stop, hold, against):  # type: ignore[no-untyped-def]
    """What is decided of a trade as a bar closes: the way out at the next open, and a stop that trails.
    It is given what it needs and no more, as it is asked on every bar."""
    count[_AGAINST] = count[_AGAINST] + 1 if is_against else 0
    if count[_PENDING] == _NOT_PENDING:
        if asks_exit:
            count[_PENDING] = BY_CONDITION
        elif hold > 0 and bars >= hold:
            count[_PENDING] = BY_BARS
        elif against > 0 and count[_AGAINST] >= against:
            count[_PENDING] = BY_AGAINST
    if stop > state[_STOP_AT]:
        state[_STOP_AT] = stop


@compiled_within
def _is_quiet(state, count, targets, bar, tick):  # type: ignore[no-untyped-def]
    """Whether a bar leaves a trade as it is: no order works, and it meets neither stop nor target."""
    if count[_UNITS] == 0 or count[_ORDER] != NO_ORDER or count[_PENDING] != _NOT_PENDING:
        return False
    reach = max(bar[0], bar[1] - tick)
    if not bar[2] > state[_STOP_AT] or not bar[0] > state[_STOP_AT] or np.isnan(reach):
        return False
    meets = 0
    for n in range(len(targets)):
        meets += targets[n] <= reach
    return meets == 0


@compiled_within
def _place(trade, signal, sign, market, orders, rules, done):  # type: ignore[no-untyped-def]
    """A signal becomes an order, one at the close at once."""
    row, count = orders.rows[signal], trade.counters
    if np.isnan(orders.levels[signal]):
        done.fates[signal] = NO_PRICE
        return
    count[_SIGNAL], count[_PLACED], count[_ORDER] = signal, row, rules.order
    trade.state[_LEVEL] = orders.levels[signal]
    if rules.order == AT_CLOSE:
        close, session = sign * market.bars.close[row], market.sessions[row]
        _join(trade, close, True, row, row + 1, session, orders, rules, done)


@compiled_within
def _meet(trade, signal, sign, market, orders, rules, done):  # type: ignore[no-untyped-def]
    """A signal on a bar that closes while a trade is on, or its order works: it adds to it or is passed
    over."""
    count = trade.counters
    is_on = 0 < count[_UNITS] <= rules.additions and count[_PENDING] == _NOT_PENDING
    if is_on and count[_ORDER] == NO_ORDER:
        _place(trade, signal, sign, market, orders, rules, done)
    else:
        done.fates[signal] = PASSED_OVER


@compiled_within
def _one_trade(trade, before, first, sign, market, orders, rules, done):  # type: ignore[no-untyped-def]
    """From a signal until nothing is on any more, or the data end."""
    count, end = trade.counters, orders.ends[first]
    count[_UNITS], count[_ORDER] = 0, NO_ORDER
    count[_PENDING], count[_AGAINST] = _NOT_PENDING, 0
    if rules.has_stop and np.isnan(orders.stops[first]):
        done.fates[first] = STOP_UNKNOWN
        return
    _place(trade, first, sign, market, orders, rules, done)
    following = first + 1
    row, is_end, tick = orders.rows[first], market.is_session_end, orders.costs[first, TICK_SIZE]
    while count[_UNITS] > 0 or (count[_ORDER] != NO_ORDER and done.fates[first] == UNSEEN):
        row += 1
        if row == end:
            break
        bar = _signed(sign, market.bars, row)
        opened, _, _, close = bar
        if _is_quiet(trade.state, count, trade.targets, bar, tick):
            pass
        elif count[_PENDING] == _NOT_PENDING:
            _bar(trade, before, sign, row, market, orders, rules, done)
        elif not np.isnan(opened):
            bars, costs = row - count[_SINCE], orders.costs[count[_SIGNAL]]
            _leave_all(trade, opened, row, bars, count[_PENDING], costs, done)
        if done.fates[first] == TRADED and count[_UNITS] == 0:
            break
        if count[_ORDER] != NO_ORDER:
            _order_at_close(trade, row, market, rules, done)
        if count[_UNITS] > 0 and rules.session_end and is_end[row] and not np.isnan(close):
            bars, costs = row - count[_SINCE] + 1, orders.costs[count[_SIGNAL]]
            _leave_all(trade, close, row, bars, BY_SESSION_END, costs, done)
        if count[_UNITS] > 0:
            stop = market.stops[row] if rules.trails else -np.inf
            _decide(
                trade.state, count, row - count[_SINCE] + 1, close < opened, market.exits[row] == 1.0, stop,
                rules.hold, rules.against,
            )  # fmt: skip
        if count[_UNITS] == 0 and (count[_ORDER] == NO_ORDER or done.fates[first] == TRADED):
            break
        if rules.one and following < len(orders.rows) and orders.rows[following] == row:
            _meet(trade, following, sign, market, orders, rules, done)
            following += 1
    if count[_ORDER] != NO_ORDER:
        # What it would have added to is over, or the data are.
        done.fates[count[_SIGNAL]] = NO_BAR_AFTER if row == end else NOT_FILLED
    bars, costs = end - count[_SINCE], orders.costs[first]
    _leave_all(trade, np.nan, end - 1, bars, STILL_OPEN, costs, done)


@compiled
def walk_trades(sign, market, orders, rules, sessions, done):  # type: ignore[no-untyped-def]
    """Trade the signals of one side, +1 for long and −1 for short, over so many sessions; what becomes of
    them is written to an ``WalkOutcome`` whose fates are all ``UNSEEN``."""
    several, aims = rules.additions + 1, len(rules.shares)
    begun = np.zeros(sessions + 1, np.int64)
    trade = _Trade(
        np.zeros(4), np.zeros(8, np.int64), np.zeros((several, 2)), np.zeros((several, 2), np.int64),
        np.zeros(aims), begun,
    )  # fmt: skip
    before = _Trade(
        np.zeros(4), np.zeros(8, np.int64), np.zeros((several, 2)), np.zeros((several, 2), np.int64),
        np.zeros(aims), begun,
    )  # fmt: skip
    for first in range(len(orders.rows)):
        if done.fates[first] != UNSEEN:
            continue
        _one_trade(trade, before, first, sign, market, orders, rules, done)
        if done.fates[first] == TRADED:
            trade.counters[_NUMBER] += 1
