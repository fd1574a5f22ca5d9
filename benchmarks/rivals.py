"""The same ten conditions written plainly with a dataframe library, one instrument at a time."""

from __future__ import annotations

import numpy as np
import pandas as pd

TEN = {
    "short average": "ema(close, 12)",
    "long average": "ema(close, 26)",
    "distance": "100 * (ema(close, 12) / ema(close, 26) - 1)",
    "relative strength": "rsi(close, 14)",
    "directional movement": "adx(14).adx",
    "average range": "atr(14)",
    "mean volume": "sma(volume, 20)",
    "breakout": "close > prev(highest(high, 20))",
    "narrow band": "percentile(bollinger(close, 20, 2).bandwidth, 120) < 20",
    "trend line": "supertrend(10, 3).direction",
    "long mean": "sma(close, 200)",
}


def ema(x: pd.Series, n: int, alpha: float) -> pd.Series:
    """Begun from the simple mean of the first n values, as ours."""
    known = x.first_valid_index()
    if known is None or len(x) - x.index.get_loc(known) < n:
        return x * np.nan
    start = x.index.get_loc(known) + n - 1
    seeded = x.copy()
    seeded.iloc[:start] = np.nan
    seeded.iloc[start] = x.iloc[start - n + 1 : start + 1].mean()
    return seeded.ewm(alpha=alpha, adjust=False, ignore_na=True).mean()


def wilder(x: pd.Series, n: int) -> pd.Series:
    return ema(x, n, 1 / n)


def atr(bars: pd.DataFrame, n: int) -> pd.Series:
    before = bars["close"].shift()
    ranges = pd.concat([bars["high"], before], axis=1).max(axis=1, skipna=False)
    ranges -= pd.concat([bars["low"], before], axis=1).min(axis=1, skipna=False)
    return wilder(ranges, n)


def adx(bars: pd.DataFrame, n: int) -> pd.Series:
    up, down = bars["high"].diff(), -bars["low"].diff()
    plus = up.where((up > down) & (up > 0), 0.0).where(up.notna())
    minus = down.where((down > up) & (down > 0), 0.0).where(up.notna())
    reach = atr(bars, n)
    plus, minus = 100 * wilder(plus, n) / reach, 100 * wilder(minus, n) / reach
    return wilder(100 * (plus - minus).abs() / (plus + minus), n)


def rsi(x: pd.Series, n: int) -> pd.Series:
    move = x.diff()
    gain, loss = wilder(move.clip(lower=0), n), wilder((-move).clip(lower=0), n)
    return 100 * gain / (gain + loss)


def supertrend(bars: pd.DataFrame, n: int, multiple: float) -> pd.Series:
    middle, width = (bars["high"] + bars["low"]) / 2, multiple * atr(bars, n)
    top, bottom = (middle + width).to_numpy(copy=True), (middle - width).to_numpy(copy=True)
    close = bars["close"].to_numpy()
    side = np.full(len(bars), np.nan)
    for t in range(len(bars)):
        if np.isnan(top[t]):
            continue
        if t == 0 or np.isnan(side[t - 1]):
            side[t] = -1 if close[t] < bottom[t] else 1
            continue
        if close[t - 1] <= top[t - 1]:
            top[t] = min(top[t], top[t - 1])
        if close[t - 1] >= bottom[t - 1]:
            bottom[t] = max(bottom[t], bottom[t - 1])
        side[t] = side[t - 1]
        if side[t] > 0 and close[t] < bottom[t]:
            side[t] = -1
        elif side[t] < 0 and close[t] > top[t]:
            side[t] = 1
    return pd.Series(side, index=bars.index)


def ten(bars: pd.DataFrame) -> dict[str, pd.Series]:
    """All ten, with what they share computed once."""
    close, volume = bars["close"], bars["volume"]
    short, long = ema(close, 12, 2 / 13), ema(close, 26, 2 / 27)
    middle, deviation = close.rolling(20).mean(), close.rolling(20).std(ddof=0)
    width = 400 * deviation / middle
    return {
        "short average": short,
        "long average": long,
        "distance": 100 * (short / long - 1),
        "relative strength": rsi(close, 14),
        "directional movement": adx(bars, 14),
        "average range": atr(bars, 14),
        "mean volume": volume.rolling(20).mean(),
        "breakout": close > bars["high"].rolling(20).max().shift(),
        "narrow band": (width.rolling(120).rank() - 1) * 100 / 119 < 20,
        "trend line": supertrend(bars, 10, 3),
        "long mean": close.rolling(200).mean(),
    }
