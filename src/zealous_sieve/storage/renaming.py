"""Another code for an instrument, in all that is kept of it."""

from __future__ import annotations

from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session

from zealous_sieve.core.market.bases import Base
from zealous_sieve.storage.bar_statements import BUMP, BUMP_MARKET, CHANGED, FACTS_VERSION, bump
from zealous_sieve.storage.models import EarlierCodeRow, InstrumentRow

_FREED = """
UPDATE instruments i SET code = code || ' #' || id WHERE code = :new AND deleted_at IS NOT NULL
AND kind <> 'pair' AND NOT EXISTS (SELECT FROM bars b WHERE b.instrument_id = i.id)
AND NOT EXISTS (SELECT FROM trades t WHERE t.instrument_id = i.id)
"""
"""One of which nothing is left and that nobody sees gives its code."""
_NAMING = """
WITH said AS (
  SELECT f.key AS name, f.value FROM instruments i, jsonb_each(i.facts) f
  UNION ALL SELECT name, value FROM dated_facts
) SELECT name FROM said GROUP BY name
HAVING bool_or(value = to_jsonb(:old ::text))
   AND bool_and(value #>> '{}' IN (SELECT code FROM instruments))
"""
"""The facts that name instruments, the old code among them: all that is said of them are codes."""
_NAMED = (
    "UPDATE instruments SET facts = jsonb_set(facts, ARRAY[:name], to_jsonb(:new ::text))"
    " WHERE facts ->> :name = :old",
    "UPDATE dated_facts SET value = to_jsonb(:new ::text)"
    " WHERE name = :name AND value = to_jsonb(:old ::text)",
)
_SAID = (
    "UPDATE instruments SET code = :new WHERE code = :old",
    "UPDATE events SET code = :new WHERE code = :old",
    "UPDATE verdicts SET code = :new WHERE code = :old",
    "UPDATE hits h SET code = :new WHERE code = :old"
    " AND NOT EXISTS (SELECT FROM hits o WHERE o.run_id = h.run_id AND o.code = :new)",
    "UPDATE outlooks SET body = jsonb_set(body, '{code}', to_jsonb(:new ::text))"
    " WHERE body ->> 'code' = :old",
    "UPDATE universes SET rule = jsonb_set(rule, '{codes}', ("
    " SELECT jsonb_agg(CASE WHEN c.code = :old THEN :new ELSE c.code END ORDER BY c.place)"
    " FROM jsonb_array_elements_text(rule -> 'codes') WITH ORDINALITY AS c(code, place)))"
    " WHERE rule -> 'codes' ? :old",
    *(
        f"UPDATE instruments SET facts = jsonb_set(facts, '{{{leg}}}', to_jsonb(:new ::text))"
        f" WHERE kind = 'pair' AND facts ->> '{leg}' = :old"
        for leg in ("left", "right")
    ),
    *(
        f"UPDATE imports SET {codes} = {codes} - :old || to_jsonb(:new ::text) WHERE {codes} ? :old"
        for codes in ("made", "left_out")
    ),
)


def rename_everywhere(session: Session, old: str, new: str, *, leads: bool) -> None:
    """Call an instrument ``new`` wherever its code stands; ``leads`` says whether ``old`` stays as one of
    its earlier names. Raises IntegrityError where another has the code."""
    session.execute(text(_FREED), {"new": new})
    session.execute(delete(EarlierCodeRow).where(EarlierCodeRow.code == new))
    for name in session.scalars(text(_NAMING), {"old": old}).all():
        for statement in _NAMED:
            session.execute(text(statement), {"old": old, "new": new, "name": name})
    for statement in _SAID:
        session.execute(text(statement), {"old": old, "new": new})
    number = session.scalar(select(InstrumentRow.id).where(InstrumentRow.code == new))
    if leads:
        session.add(EarlierCodeRow(code=old, instrument_id=number))
    _read_anew(session, number)
    session.execute(text(BUMP_MARKET))
    session.execute(text(bump(FACTS_VERSION)))


def _read_anew(session: Session, number: int | None) -> None:
    """Its bars are read under the new code."""
    raw = session.connection()
    version = raw.exec_driver_sql(BUMP).scalar()
    for base in Base:
        raw.exec_driver_sql(CHANGED, ([number], int(base), version))
