"""Formulas of many shapes, as text."""

from __future__ import annotations

from hypothesis import strategies as st

names = st.sampled_from(["close", "open", "high", "low", "hl2"])
numbers = st.one_of(
    names,
    st.integers(1, 300).map(str),
    st.floats(0.001, 1e6, allow_nan=False).map(repr),
)


def _deeper(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    length = st.integers(1, 60).map(str)
    return st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        st.tuples(inner, st.sampled_from("+-"), inner).map(lambda t: f"{t[0]} {t[1]} {t[2]}"),
        inner.map(lambda x: f"-{x}"),
        st.tuples(st.sampled_from(["sma", "ema", "highest", "ago", "wma"]), inner, length).map(
            lambda t: f"{t[0]}({t[1]}, {t[2]})"
        ),
    )


expressions = st.recursive(numbers, _deeper, max_leaves=8)
comparisons = st.one_of(
    st.tuples(expressions, st.sampled_from([">", "<", ">=", "<=", "==", "!="]), expressions).map(
        " ".join
    ),
    st.tuples(expressions, expressions).map(lambda t: f"{t[0]} > {t[1]} by 2.5%"),
    st.tuples(expressions, expressions).map(lambda t: f"{t[0]} within 1 of {t[1]}"),
    st.tuples(expressions, expressions, expressions).map(
        lambda t: f"{t[0]} between {t[1]} and {t[2]}"
    ),
    st.tuples(expressions, expressions).map(lambda t: f"{t[0]} crosses above {t[1]}"),
)
conditions = st.recursive(
    comparisons,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(
            lambda t: f"({t[0]}) {t[1]} {t[2]}"
        ),
        inner.map(lambda c: f"not ({c})"),
        inner.map(lambda c: f"({c}) for 3 bars"),
        inner.map(lambda c: f"({c}) at least 2 of 5 bars"),
        inner.map(lambda c: f"({c}) on 1w"),
        inner.map(lambda c: f"({c}) on range(90)"),
        inner.map(lambda c: f"({c}) on brick(40, 80)"),
        st.tuples(inner, comparisons).map(lambda t: f"({t[0]}) then {t[1]} within 4 bars"),
        st.tuples(inner, comparisons).map(lambda t: f"({t[0]}) until {t[1]}"),
        st.tuples(inner, inner).map(lambda t: f"at least 1 of ({t[0]}, {t[1]})"),
        st.tuples(inner, inner).map(lambda t: f"(count({t[0]}) since ({t[1]})) > 2"),
        inner.map(lambda c: f"close > highest(high) since ({c})"),
        inner.map(lambda c: f"tally({c}, close > open, {c}) >= 2"),
    ),
    max_leaves=4,
)
