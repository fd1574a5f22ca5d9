"""Text into tokens, and tokens into statements.

A statement ends with its line, unless a bracket is open, the line ends in a word or sign that asks
for more, or the next line starts with one (a minus only where that line is indented, since it may
also start an expression). Comments are kept beside the statement they belong to.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from itertools import pairwise

from lark import Lark, Token

from zealous_sieve.core.errors import FormulaError, Place, Problem
from zealous_sieve.core.formula.limits import MAX_CHARACTERS, MAX_NESTING
from zealous_sieve.core.formula.words import ASKING, BEGINNING, JOINING, SWITCHES
from zealous_sieve.core.functions.catalogue import SOURCES, find

_SIGNS = {"RELATION", "PLUS", "STAR", "SLASH", "CIRCUMFLEX", "DOT", "COMMA"}
OF_THE_GRAMMAR = {"NO_LATER", "OF_CODE", "OF_FACT", "SIDE"}
"""Tokens that the grammar makes of a word where it depends on what follows, or of one of two words."""
EITHER_WAY = {"MINUS", *(word.upper() for word in JOINING & BEGINNING)}
"""Tokens that go on with a line where they are indented, and begin one of their own where not."""
LEADING = {word.upper() for word in JOINING} - EITHER_WAY | _SIGNS | OF_THE_GRAMMAR | {"RPAR"}
TRAILING = {word.upper() for word in ASKING} | _SIGNS | OF_THE_GRAMMAR | {"MINUS", "EQUAL", "LPAR"}


@dataclass
class SourceLine:
    """The tokens of one statement and the comments around it."""

    tokens: list[Token] = field(default_factory=list)
    comments: list[str] = field(default_factory=list)
    remark: str | None = None


class _Unruled:
    """Tokens that no rule mentions, and that the lexer has to deliver all the same."""

    always_accept = ("COMMENT", "NEWLINE", "UNKNOWN")

    def process(self, stream: Iterator[Token]) -> Iterator[Token]:
        return stream


@cache
def grammar() -> Lark:
    """The LALR parser of one statement."""
    return Lark.open_from_package(
        "zealous_sieve.core.formula",
        "grammar.lark",
        parser="lalr",
        lexer="basic",
        propagate_positions=True,
        postlex=_Unruled(),
        maybe_placeholders=False,
    )


def place_of(token: Token) -> Place:
    """Where a token stands."""
    return Place(line=token.line or 1, column=token.column or 1, length=max(1, len(token)))


def tokens_of(text: str) -> list[Token]:
    """All tokens of a formula, comments and line ends included.

    Raises FormulaError ``too_long`` or ``unknown_character``.
    """
    if len(text) > MAX_CHARACTERS:
        message = f"a formula has at most {MAX_CHARACTERS:,} characters, this has {len(text):,}"
        raise FormulaError(
            Problem(code="too_long", message=message, mend="split it into saved formulas")
        )
    tokens = list(grammar().lex(text))
    strange = [_strange(token) for token in tokens if token.type == "UNKNOWN"]
    if strange:
        raise FormulaError(*strange)
    around = zip([None, *tokens], tokens, [*tokens[1:], None], strict=False)
    named = [_as_name(before, token, after) for before, token, after in around]
    own = {str(a) for a, b in pairwise(named) if a.type == "NAME" and b.type == "EQUAL"}
    return [_in_our_case(token, own) for token in named]


def _in_our_case(token: Token, names: set[str]) -> Token:
    """A source or function is known however it is written, unless the formula defines such a name."""
    name = str(token)
    if token.type != "NAME" or name in names or name.islower():
        return token
    known = name.casefold()
    is_ours = known in SOURCES or find(known) is not None or known in SWITCHES
    return Token.new_borrow_pos("NAME", known, token) if is_ours else token


def _strange(token: Token) -> Problem:
    mend = 'close the text with a second "' if token == '"' else None
    if token == "%":
        mend = "a percentage stands after by or within only, as in: by 3%"
    if token == "=":
        mend = "to compare, write =="
    return Problem(
        code="unknown_character",
        message=f"{str(token)!r} has no meaning here",
        place=place_of(token),
        mend=mend,
    )


def _as_name(before: Token | None, token: Token, after: Token | None) -> Token:
    """A word of the language that stands where a name has to: after a dot, after ``show``, or as the
    name of an argument, as in ``by="sector"``."""
    picked = before is not None and before.type in ("DOT", "SHOW")
    opens = before is not None and before.type in ("LPAR", "COMMA")
    argument = opens and after is not None and after.type == "EQUAL"
    if (picked or argument) and token.isidentifier():
        return Token.new_borrow_pos("NAME", str(token), token)
    return token


def lines_of(tokens: list[Token]) -> tuple[list[SourceLine], list[str]]:
    """Group tokens into statements; the second part is the comments after the last one."""
    lines: list[SourceLine] = []
    current, open_brackets = SourceLine(), 0
    for index, token in enumerate(tokens):
        if token.type == "NEWLINE":
            if current.tokens and open_brackets <= 0 and not _goes_on(current, tokens, index):
                lines.append(current)
                current, open_brackets = SourceLine(), 0
        elif token.type == "COMMENT":
            _attach(current, lines, token)
        else:
            open_brackets += {"LPAR": 1, "RPAR": -1}.get(token.type, 0)
            if open_brackets > MAX_NESTING:
                raise FormulaError(_nested(token))
            current.tokens.append(token)
    if current.tokens:
        lines.append(current)
        return lines, []
    return lines, current.comments


def _nested(token: Token) -> Problem:
    return Problem(
        code="too_nested",
        message=f"brackets are nested deeper than {MAX_NESTING}",
        place=place_of(token),
        mend="give parts a name with name = …",
    )


def _attach(current: SourceLine, lines: list[SourceLine], comment: Token) -> None:
    text = comment[1:].strip()
    if current.tokens and current.tokens[-1].line == comment.line and current.remark is None:
        current.remark = text
    else:
        current.comments.append(text)


def _goes_on(current: SourceLine, tokens: list[Token], index: int) -> bool:
    if current.tokens[-1].type in TRAILING:
        return True
    following = (t for t in tokens[index + 1 :] if t.type not in ("NEWLINE", "COMMENT"))
    upcoming = next(following, None)
    if upcoming is None:
        return False
    indented = (upcoming.column or 1) > (current.tokens[0].column or 1)
    return upcoming.type in (LEADING | EITHER_WAY if indented else LEADING)
