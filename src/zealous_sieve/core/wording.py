"""What is wrong with a document from outside, in our own words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

Context = Mapping[str, Any]


def said(detail: Mapping[str, Any]) -> str:
    """The sentence for one detail of a pydantic ValidationError."""
    sentence = _SENTENCES.get(str(detail["type"]))
    if sentence is not None:
        return sentence(detail.get("ctx", {}))
    message = str(detail["msg"]).removeprefix("Value error, ")
    return message[:1].lower() + message[1:]


def _plural(count: object, noun: str) -> str:
    return f"{count} {noun}" + ("" if count == 1 else "s")


_NUMBER = "this has to be a number"
_WHOLE = "this has to be a whole number"
_MOMENT = "this has to be a moment in ISO 8601, such as 2026-06-16T14:20:00Z"
_SENTENCES: dict[str, Callable[[Context], str]] = {
    "missing": lambda _: "this is missing",
    "extra_forbidden": lambda _: "nothing of this name is known here",
    "string_type": lambda _: "this has to be a text",
    "string_too_short": lambda c: (
        "this can't be empty"
        if c.get("min_length") == 1
        else f"this needs at least {_plural(c.get('min_length'), 'character')}"
    ),
    "string_too_long": lambda c: f"this may have at most {c.get('max_length'):,} characters",
    "string_pattern_mismatch": lambda _: (
        "this has to begin with a letter and go on with letters, digits and _"
    ),
    "too_short": lambda c: f"there has to be at least {c.get('min_length')} of these",
    "too_long": lambda c: f"there may be at most {c.get('max_length')} of these",
    "greater_than": lambda c: f"this has to be above {c.get('gt'):g}",
    "greater_than_equal": lambda c: f"this has to be at least {c.get('ge'):g}",
    "less_than": lambda c: f"this has to be below {c.get('lt'):g}",
    "less_than_equal": lambda c: f"this may be at most {c.get('le'):g}",
    "int_type": lambda _: _WHOLE,
    "int_parsing": lambda _: _WHOLE,
    "int_from_float": lambda _: _WHOLE,
    "float_type": lambda _: _NUMBER,
    "float_parsing": lambda _: _NUMBER,
    "finite_number": lambda _: _NUMBER,
    "bool_type": lambda _: "this has to be true or false",
    "bool_parsing": lambda _: "this has to be true or false",
    "enum": lambda c: f"this has to be {c.get('expected')}",
    "literal_error": lambda c: f"this has to be {c.get('expected')}",
    "datetime_type": lambda _: _MOMENT,
    "datetime_parsing": lambda _: _MOMENT,
    "datetime_from_date_parsing": lambda _: _MOMENT,
    "timezone_aware": lambda _: "the moment needs an offset, such as Z",
    "tuple_type": lambda _: "this has to be a list",
    "list_type": lambda _: "this has to be a list",
    "model_type": lambda _: "this has to be an object",
    "model_attributes_type": lambda _: "this has to be an object",
    "dict_type": lambda _: "this has to be an object",
    "json_invalid": lambda c: f"the document is not JSON: {c.get('error')}",
}
