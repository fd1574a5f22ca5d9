"""Files are brought in through the API: read, corrected, taken once, given back, stopped."""

from __future__ import annotations

import csv
import gzip
import io
import os
import tarfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient

from zealous_sieve.cli.main import commands
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.panel import KNOWN_FROM, Panel
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Instrument, Venue
from zealous_sieve.core.sieve.examples import WAKING
from zealous_sieve.environment import data_folder
from zealous_sieve.jobs.tasks import TASKS
from zealous_sieve.storage import uploads
from zealous_sieve.storage.machine import MACHINE_NAME, MachineFile
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import database_away
from zealous_sieve.usecases.records.imports import IMPORT, ImportState
from zealous_sieve.usecases.records.work import Work
from zealous_sieve.usecases.sifting.runs import execute_run
from zealous_sieve.usecases.table.imports import execute_import
from zealous_sieve.usecases.table.sources import FileReading, read_sources, sources

BARS = "code;day;open;high;low;close;volume\n" + "".join(
    f"QUVNA;{day:02d}.03.2026;10,5;11,25;9,5;10,{day:02d};100\n" for day in range(2, 21)
)


def brought(client: FlaskClient, name: str, content: bytes) -> Any:
    """What is answered to a file."""
    return client.post(
        f"/api/imports?name={name}", data=content, content_type="application/octet-stream"
    )


def bring(client: FlaskClient, name: str, text: str) -> int:
    reply = brought(client, name, text.encode())
    assert reply.status_code == 200, reply.json
    return int(reply.json["id"])


def worked(client: FlaskClient, outside: Outside, number: int, act: str = "") -> dict[str, Any]:
    """An import after the work that it waits for."""
    if act:
        assert client.post(f"/api/imports/{number}/{act}").status_code == 200
    execute_import(outside, number)
    own: dict[str, Any] = client.get(f"/api/imports/{number}").json["own"]
    return own


def counts(own: dict[str, Any]) -> tuple[int, ...]:
    return tuple(own["account"][name] for name in ("new", "changed", "same", "refused"))


def test_a_file_is_taken_once_and_twice_changes_nothing(
    client: FlaskClient, outside: Outside
) -> None:
    number = bring(client, "C:\\mine\\bars.csv", BARS + "QUVNA;21.03.2026;10;9;8;10;1\n")
    own = worked(client, outside, number)
    assert (own["name"], own["state"], counts(own)) == ("bars.csv", "ready", (19, 0, 0, 1))
    assert "QUVNA" not in {i.code for i in outside.market.instruments()}
    refused = client.get(f"/api/imports/{number}/refused")
    assert refused.text.splitlines()[1].startswith("QUVNA;21.03.2026;10;9;8;10;1;21;high")
    own = worked(client, outside, number, "take")
    assert own["state"] == "done"
    assert client.post(f"/api/imports/{number}/take").json["state"] == "done"
    assert client.get("/api/instruments/QUVNA").json["summary"]["bars"] == 19
    changed = bring(
        client, "again.csv", BARS.replace("QUVNA;03.03.2026;10,5", "QUVNA;03.03.2026;10")
    )
    own = worked(client, outside, changed)
    assert counts(own) == (0, 1, 18, 0)
    change = own["account"]["changes"][0]
    assert (change["column"], change["before"], change["after"]) == ("open", 10.5, 10.0)
    outside_before = outside.bars.some(["QUVNA"]).columns["open"][1]
    assert outside_before == 10.5
    worked(client, outside, changed, "take")
    assert outside.bars.some(["QUVNA"]).columns["open"][1] == 10.0


def test_a_layout_is_corrected_and_what_it_lacks_is_told(
    client: FlaskClient, outside: Outside
) -> None:
    number = bring(client, "bars.csv", BARS)
    layout = worked(client, outside, number)["layout"]
    wrong = {**layout, "columns": {"time": "day"}}
    reply = client.put(f"/api/imports/{number}/layout", json={"layout": wrong})
    assert (reply.status_code, reply.json["code"]) == (422, "wrong_columns")
    own = client.get(f"/api/imports/{number}").json["own"]
    assert (own["state"], own["layout"]) == ("ready", layout)
    columns = {n: c for n, c in layout["columns"].items() if n != "instrument"}
    right = {**layout, "columns": columns, "code": "OTHER"}
    assert client.put(f"/api/imports/{number}/layout", json={"layout": right}).status_code == 200
    assert worked(client, outside, number)["account"]["codes"] == ["OTHER"]


def test_a_file_with_further_columns_is_none_like_the_one_before_it(
    client: FlaskClient, outside: Outside
) -> None:
    """They are understood, and told of bars that are the same but for them; other instruments keep their
    own clock, and what is doubted is told again."""

    def minutes(code: str, more: str = "", cells: str = "") -> str:
        rows = (f"{code},2026-03-02 10:{n:02d}:00,10,11,9,10,{n + 1}{cells}\n" for n in range(9))
        return f"code,time,open,high,low,close,volume{more}\n" + "".join(rows)

    tokyo = Venue(name="Far", hours="09:00-15:00", zone="Asia/Tokyo")
    outside.market.add_venues([tokyo])
    outside.market.add_instruments([Instrument(code="FARA", name="Far away", venue="Far")])
    first = bring(client, "near.csv", minutes("NEARA"))
    assert worked(client, outside, first)["doubts"][-1].endswith("those of UTC")
    worked(client, outside, first, "take")
    further = ",trades,known_from"
    again = bring(client, "more.csv", minutes("NEARA", further, ",3,2026-03-05 12:00:00"))
    own = worked(client, outside, again)
    assert own["layout"]["columns"]["known"] == "known_from"
    assert not any("was" in doubt for doubt in own["doubts"])
    assert counts(own) == (0, 9, 0, 0)
    worked(client, outside, again, "take")
    _, columns = outside.bars.load(Base.MINUTE, ["NEARA"]).series("NEARA")
    assert set(columns["trades"]) == {3.0}
    assert set(columns[KNOWN_FROM]) == {datetime(2026, 3, 5, 12, tzinfo=UTC).timestamp()}
    same = worked(client, outside, bring(client, "plain.csv", minutes("NEARA")))
    assert (counts(same), same["doubts"][0]) == ((0, 0, 9, 0), "it is read as near.csv was")
    far = worked(client, outside, bring(client, "far.csv", minutes("FARA")))
    assert far["layout"]["zone"] == "Asia/Tokyo"
    assert far["doubts"] == [
        "it is read as near.csv was",
        "the times have no offset: they are read as those of Asia/Tokyo",
    ]
    corrected = {**far["layout"], "zone": "UTC"}
    client.put(f"/api/imports/{far['id']}/layout", json={"layout": corrected})
    worked(client, outside, far["id"])
    worked(client, outside, far["id"], "take")
    next_one = worked(client, outside, bring(client, "far2.csv", minutes("FARA")))
    assert next_one["layout"]["zone"] == "UTC"


@pytest.mark.parametrize("at", ["reading", "taking"])
def test_stopped_on_the_way_nothing_is_taken(
    client: FlaskClient, outside: Outside, monkeypatch: pytest.MonkeyPatch, at: str
) -> None:
    number = bring(client, "bars.csv", BARS)
    if at == "taking":
        worked(client, outside, number)
        client.post(f"/api/imports/{number}/take")
    kept = outside.work.progress

    def cancelled(work: Work, import_id: int, turn: int, done: int, total: int) -> bool:
        if done * 2 > total or at == "reading":
            client.post(f"/api/imports/{number}/cancel")
        return kept(work, import_id, turn, done, total)

    monkeypatch.setattr(outside.work, "progress", cancelled)
    execute_import(outside, number)
    assert client.get(f"/api/imports/{number}").json["own"]["state"] == "cancelled"
    assert client.get("/api/instruments/QUVNA").status_code == 404
    monkeypatch.undo()
    assert client.post(f"/api/imports/{number}/take").json["code"] == "import_not_ready"
    assert client.post(f"/api/imports/{number}/cancel").json["code"] == "import_ended"
    layout = client.get(f"/api/imports/{number}").json["own"]["layout"]
    client.put(f"/api/imports/{number}/layout", json={"layout": layout})
    assert worked(client, outside, number)["state"] == "ready"


def test_what_is_read_by_before_a_correction_is_not_taken_for_what_follows(
    client: FlaskClient, outside: Outside
) -> None:
    number = bring(client, "bars.csv", BARS)
    own = outside.imports.get(number)
    assert own is not None
    turn = outside.work.begin(IMPORT, number, own.turn)
    assert turn is not None
    assert outside.work.progress(IMPORT, number, turn, 1, 2)
    layout = client.get(f"/api/imports/{number}").json["own"]["layout"]
    client.put(f"/api/imports/{number}/layout", json={"layout": layout})
    assert not outside.work.progress(IMPORT, number, turn, 2, 2)
    assert not outside.work.wanted(IMPORT, number, turn)
    assert not outside.work.end(IMPORT, number, turn, ImportState.READY)
    assert worked(client, outside, number)["state"] == "ready"


def test_interrupted_it_is_taken_up_again_and_given_up_after_the_second_time(
    client: FlaskClient, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = bring(client, "bars.csv", BARS)
    worked(client, outside, number)
    client.post(f"/api/imports/{number}/take")

    def away(*_: object) -> None:
        raise database_away()

    for tries in (1, 2):
        monkeypatch.setattr(outside.bars, "write", away)
        with pytest.raises(type(database_away())):
            execute_import(outside, number)
        monkeypatch.undo()
        again = [task.recover(outside) for task in TASKS]
        assert again == [[], [number] if tries == 1 else [], []]
    own = client.get(f"/api/imports/{number}").json["own"]
    assert (own["state"], own["attempts"]) == ("failed", 2)
    assert "stopped 2 times" in own["reason"]
    assert client.get("/api/instruments/QUVNA").status_code == 404


def test_a_file_that_is_no_table_is_refused_and_not_kept(client: FlaskClient) -> None:
    for text, said in (("", "empty"), ("a,b\n", "no rows"), ("\0\1\2", "no table")):
        reply = client.post(
            "/api/imports?name=x.csv", data=text, content_type="application/octet-stream"
        )
        assert reply.status_code == 422
        assert said in reply.json["message"]
    assert client.get("/api/imports").json == []
    weeks = bring(
        client, "weeks.csv", "day,close\n" + "".join(f"2026-0{m}-01,1\n" for m in range(1, 7))
    )
    assert weeks


def test_bars_of_a_length_that_is_not_kept_fail_with_what_to_do(
    client: FlaskClient, outside: Outside
) -> None:
    rows = "".join(f"2026-0{month}-01,{month}\n" for month in range(1, 7))
    own = worked(client, outside, bring(client, "months.csv", "day,close\n" + rows))
    assert own["state"] == "failed"
    assert "import daily bars" in own["reason"]
    reply = client.delete(f"/api/imports/{own['id']}")
    assert (reply.status_code, client.get("/api/imports").json) == (204, [])


def test_instruments_events_and_venues_come_in_and_what_they_name_has_to_be_there(
    client: FlaskClient, outside: Outside
) -> None:
    venues = (
        "name;hours;zone;holidays\nQuay;09:00-17:30;Atlantic/Madeira;2026-12-25\nBad;9-17;UTC;\n"
    )
    own = worked(client, outside, bring(client, "venues.csv", venues))
    assert counts(own) == (1, 0, 0, 1)
    worked(client, outside, own["id"], "take")
    rows = (
        "code,name,kind,venue,tick,sector,market cap\n"
        "QUVNA,Quvna Lamps,share,Quay,0.05,Lamps,5e9\n"
        "OTHER,Other,share,Nowhere,0.05,Lamps,1\nTHIRD,Third,shire,Quay,-1,Lamps,1\n"
    )
    own = worked(client, outside, bring(client, "instruments.csv", rows))
    assert [r["column"] for r in own["account"]["refusals"]] == ["venue", "kind"]
    worked(client, outside, own["id"], "take")
    known = client.get("/api/instruments/QUVNA").json
    assert known["facts"] == {"sector": "Lamps", "market_cap": 5e9}
    assert known["summary"]["hours"].endswith("Atlantic/Madeira")
    more = worked(client, outside, bring(client, "more.csv", "code,sector\nQUVNA,Glass\n"))
    assert counts(more) == (0, 1, 0, 0)
    worked(client, outside, more["id"], "take")
    assert client.get("/api/instruments/QUVNA").json["facts"] == {
        "sector": "Glass",
        "market_cap": 5e9,
    }
    before = len(outside.market.events())
    events = (
        "event,day,instrument,title\nReport,2026-07-01,QUVNA,Half year\nreport,2026-07-02,NONE,x\n"
    )
    own = worked(client, outside, bring(client, "events.csv", events))
    assert counts(own) == (1, 0, 0, 1)
    worked(client, outside, own["id"], "take")
    assert len(outside.market.events()) == before + 1
    again = worked(client, outside, bring(client, "events.csv", events))
    assert counts(again) == (0, 0, 1, 1)


def test_facts_with_their_days_are_seen_as_they_were_known_and_a_past_run_says_what_was_not(
    client: FlaskClient, outside: Outside
) -> None:
    code = client.get("/api/instruments?universe=Kelp").json[0]["code"]
    own = worked(client, outside, bring(client, "size.csv", f"code,crew\n{code},40\n"))
    worked(client, outside, own["id"], "take")
    late = "code;held from;known from;Boats;fleet\n"
    rows = f"{code};2026-01-01;2026-02-10;7;old\n{code};2026-04-01;2026-06-10 12:00;9;new\n"
    bad = f"NONE;2026-01-01;;1;x\n{code};soon;2026-01-01;1;x\n{code};2026-01-01;2026-01-01;;\n"
    text = late + rows + bad
    own = worked(client, outside, bring(client, "fleet.csv", text))
    assert (own["layout"]["content"], counts(own)) == ("facts", (4, 0, 0, 3))
    assert [r["column"] for r in own["account"]["refusals"]] == ["code", "held from", "all"]
    worked(client, outside, own["id"], "take")
    own = worked(client, outside, bring(client, "fleet.csv", text))
    assert counts(own) == (0, 0, 4, 3)
    long = f"instrument,fact,value,published,day\n{code},boats,8,2026-06-14,2026-01-01\n"
    own = worked(client, outside, bring(client, "long.csv", long))
    assert (own["layout"]["content"], counts(own)) == ("facts", (1, 0, 0, 0))
    worked(client, outside, own["id"], "take")
    known = client.get(f"/api/instruments/{code}").json
    assert (known["facts"]["boats"], known["facts"]["fleet"]) == (9, "new")
    assert [f["value"] for f in known["facts_before"] if f["name"] == "boats"] == [9, 8, 7]

    def hits(formula: str, as_of: str, universe: str = "Kelp") -> tuple[list[str], list[str]]:
        changed = {"name": formula, "universe": universe, "rank": ""}
        changed["conditions"] = [{"formula": formula}]
        sieve = WAKING.model_dump(mode="json") | changed
        reply = client.post("/api/sieves", json={"sieve": sieve})
        assert reply.status_code == 200, reply.json
        kept = reply.json["id"]
        run = client.post("/api/runs", json={"sieve_id": kept, "as_of": as_of}).json["id"]
        execute_run(outside, run)
        client.delete(f"/api/sieves/{kept}")
        found = client.get(f"/api/runs/{run}/hits?count=500").json["hits"]
        outcome = client.get(f"/api/runs/{run}").json["run"]["outcome"]
        return [hit["code"] for hit in found], outcome["hindsight"]

    assert hits('fact("boats") == 7', "2026-06-10T10:00:00Z") == ([code], [])
    assert hits('fact("boats") == 9', "2026-06-10T10:00:00Z") == ([], [])
    assert hits('fact("boats") == 9', "2026-06-11T20:00:00Z") == ([code], [])
    found, said = hits('fact("crew") > 1', "2026-06-11T20:00:00Z")
    assert found == [code]
    assert said[0].startswith('the fact "crew" of 1 instrument is taken as it is known now')
    assert hits('fact("crew") > 1', "2026-06-16T14:20:00Z")[1] == []
    rule = {"name": "New fleets", "rule": {"where": {"fleet": "new"}}}
    reply = client.post("/api/universes", json={"universe": rule})
    assert reply.status_code == 200, reply.json
    assert hits("close > 0", "2026-06-10T10:00:00Z", "New fleets") == ([], [])
    assert hits("close > 0", "2026-06-11T20:00:00Z", "New fleets") == ([code], [])


def test_what_was_read_of_one_file_is_never_taken_for_another(
    client: FlaskClient, outside: Outside
) -> None:
    def closes(code: str) -> list[float]:
        panel = outside.bars.some([code], (Base.DAY,))
        return list(panel.series(code)[1]["close"])

    texts = [f"code,day,close\nSAME,2026-03-02,{n}\nSAME,2026-03-03,{n + 1}\n" for n in (5, 8)]
    first, second = (bring(client, "same.csv", text) for text in texts)
    worked(client, outside, first)
    assert counts(worked(client, outside, second)) == (2, 0, 0, 0)
    worked(client, outside, first, "take")
    assert closes("SAME") == [5, 6]
    worked(client, outside, second, "take")
    assert closes("SAME") == [8, 9]
    third = bring(client, "third.csv", "code;day;close\nSAME;2026-03-02;7,5\n")
    own = worked(client, outside, third)
    assert counts(own) == (0, 1, 0, 0)
    layout = {**own["layout"], "decimal": "."}
    client.put(f"/api/imports/{third}/layout", json={"layout": layout})
    assert counts(worked(client, outside, third)) != (0, 1, 0, 0)
    assert closes("SAME") == [8, 9]


def test_bars_that_were_known_late_are_seen_late(client: FlaskClient, outside: Outside) -> None:
    known = dict.fromkeys(range(2, 7), "") | {5: "2026-03-09 08:00"}
    known |= {day: f"2026-03-{day:02d} 21:00" for day in range(10, 20)}
    rows = [f"LATE,2026-03-{day:02d},{day},{told}\n" for day, told in known.items()]
    text = "code,day,close,known from\n" + "".join(rows)
    own = worked(client, outside, bring(client, "late.csv", text + "LATE,2026-03-09,9,soon\n"))
    assert own["layout"]["columns"]["known"] == "known from"
    assert (counts(own), own["account"]["refusals"][0]["column"]) == ((15, 0, 0, 1), "known from")
    worked(client, outside, own["id"], "take")
    assert counts(worked(client, outside, bring(client, "late.csv", text))) == (0, 0, 15, 0)
    panel = Panel.of({"LATE": outside.bars.some(["LATE"], (Base.DAY,)).series("LATE")})
    panel = panel.with_background([Background()])
    closed = [panel.as_of(int(datetime(2026, 3, d, 9, tzinfo=UTC).timestamp())) for d in (6, 8, 9)]
    assert [then.columns["close"][then.ends[0] - 1] for then in closed] == [4, 4, 6]


def test_a_tape_of_trades_replaces_what_it_spans(client: FlaskClient, outside: Outside) -> None:
    rows = [
        f"2026-03-02 09:00:{s:02d},{100 + s},{s + 1},{'buy' if s % 2 else 'sell'}"
        for s in range(30)
    ]
    text = "time,price,size,side\n" + "\n".join([*rows, rows[-1]])
    own = worked(client, outside, bring(client, "TAPE.csv", text))
    assert (own["layout"]["content"], counts(own)) == ("trades", (31, 0, 0, 0))
    worked(client, outside, own["id"], "take")
    panel = outside.bars.some(["TAPE"])
    trades = next(base for base in panel.bases if base.duration == 0)
    assert (trades.bars, trades.columns["buy_volume"].sum()) == (31, sum(range(2, 31, 2)) + 30)
    own = worked(client, outside, bring(client, "TAPE.csv", text))
    assert counts(own) == (0, 0, 31, 0)
    assert ImportState(own["state"]) == ImportState.READY


def test_a_folder_is_read_again_and_again_once_its_files_have_settled(
    client: FlaskClient, outside: Outside, tmp_path: Path
) -> None:
    said: list[FileReading] = []
    settled: dict[str, str] = {}

    def look() -> list[tuple[str, int, int]]:
        nonlocal settled
        said.clear()
        settled = read_sources(outside, settled, said.append)
        return [(own.name, own.taken, own.refused) for own in said]

    MachineFile(data_folder() / MACHINE_NAME).allow(tmp_path)
    for folder, code in (("nowhere", "no_folder"), (str(tmp_path / "none"), "no_folder")):
        assert client.post("/api/sources", json={"folder": folder}).json["code"] == code
    assert client.post("/api/sources", json={"folder": str(tmp_path)}).status_code == 200
    assert (
        client.post("/api/sources", json={"folder": str(tmp_path)}).json["code"] == "source_there"
    )
    file = tmp_path / "bars.csv"
    file.write_text(BARS[: len(BARS) // 2])
    (tmp_path / "notes.md").write_text("no table")
    assert look() == []
    file.write_text(BARS + "QUVNA;21.03.2026;10;9;8;10;1\n")  # it grew meanwhile
    assert look() == []
    assert look() == [("bars.csv", 19, 1)]
    assert look() == []
    file.write_text(BARS.replace("20.03.2026;10,5", "20.03.2026;10,4"))
    look()
    assert look() == [("bars.csv", 1, 0)]
    file.touch()
    look()
    assert look() == [("bars.csv", 0, 0)]
    assert client.get("/api/imports").json[0]["state"] == "done"
    (tmp_path / "broken.csv").write_bytes(b"\0\0")
    look()
    look()
    assert [own.trouble for own in said] == ["the file is no table of text (bring CSV or Parquet)"]
    assert client.post("/api/sources/remove", json={"folder": str(tmp_path)}).status_code == 204
    assert client.get("/api/sources").json == []
    assert client.post("/api/sources/remove", json={"folder": "x"}).status_code == 404


def test_only_what_lies_in_an_allowed_folder_is_read_and_a_bad_file_stops_only_itself(
    client: FlaskClient, outside: Outside, tmp_path: Path
) -> None:
    bars, other = tmp_path / "bars", tmp_path / "other"
    for folder in (bars / "within", other):
        folder.mkdir(parents=True)
    secret = other / "secret.csv"
    secret.write_text("day,price\nhush,hush\n")
    machine = MachineFile(data_folder() / MACHINE_NAME)
    machine.allow(bars)

    def refused(folder: Path | str) -> str:
        reply = client.post("/api/sources", json={"folder": str(folder)}).json
        assert reply["code"] in ("not_allowed", "no_folder")
        return str(reply["message"])

    for folder in (other, other / "none", secret, "/", bars.parent, bars / ".." / "other"):
        assert refused(folder) == f"{folder} does not lie in a folder that may be read from here"
    (bars / "out").symlink_to(other)
    assert "may be read from here" in refused(bars / "out")
    assert client.post("/api/sources", json={"folder": str(bars / "within")}).status_code == 200
    assert client.post("/api/sources", json={"folder": str(bars)}).status_code == 200
    (bars / "good.csv").write_text(BARS)
    (bars / "kept.csv").symlink_to(bars / "within" / "real.csv")
    (bars / "within" / "real.csv").write_text(BARS.replace("QUVNA", "LUNDR"))
    (bars / "led.csv").symlink_to(secret)
    (bars / "gone.csv").symlink_to(bars / "nothing")
    (bars / "open.csv").mkdir()
    os.mkfifo(bars / "pipe.csv")
    Path(os.fsdecode(os.fsencode(bars) + b"/b\xffd.csv")).write_text(BARS)
    (bars / "none.csv").write_text("no table of anything\n")
    said: list[FileReading] = []
    settled = read_sources(outside, {}, said.append)
    settled = read_sources(outside, settled, said.append)
    first = len(said)
    read_sources(outside, settled, said.append)
    assert len(said) == first, "what is wrong is said once"
    within, own = sorted(sources(outside), key=lambda own: len(own.folder), reverse=True)
    assert (within.trouble, own.trouble, dict(within.troubles)) == ("", "", {})
    assert set(own.troubles) == {"led.csv", "gone.csv", "b?d.csv", "none.csv"}
    assert set(own.seen) == {"good.csv", "kept.csv", "none.csv"}
    assert own.troubles["b?d.csv"] == "its name is no text: give it another"
    assert "may be read from here" in own.troubles["led.csv"]
    assert "hush" not in str([*said, *client.get("/api/imports").json])
    panel = outside.bars.some(["QUVNA", "LUNDR"])
    assert set(panel.codes) == {"QUVNA", "LUNDR"}
    # What is mended is read, and what was allowed can be so no more.
    (bars / "led.csv").unlink()
    (bars / "none.csv").write_text(BARS.replace("QUVNA", "TOSKE"))
    for _ in range(2):
        settled = read_sources(outside, settled, said.append)
    assert set(sources(outside)[1].troubles) == {"gone.csv", "b?d.csv"}
    machine.path.write_text("folders = []\n")
    read_sources(outside, settled, said.append)
    assert all("may be read from here" in own.trouble for own in sources(outside))
    for garbled in ("folders = 5", "folders = [", "\0"):
        machine.path.write_text(garbled)
        read_sources(outside, settled, said.append)
        assert "can't be read: " in sources(outside)[0].trouble
    machine.path.unlink()


def test_files_of_a_folder_are_taken_from_the_command_line(
    address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEALOUS_SIEVE_DATABASE", address)
    (tmp_path / "bars.csv").write_text(BARS)
    (tmp_path / "bad.csv").write_text("a,b\n")
    watched = CliRunner().invoke(commands, ["import", "files", "--watch", str(tmp_path), "--once"])
    assert watched.output.splitlines() == [
        "bad.csv: the file has a header and no rows (bring a file with rows below its header)",
        "bars.csv: 19 taken",
    ]
    again = CliRunner().invoke(commands, ["import", "files", str(tmp_path / "bars.csv")])
    assert (again.exit_code, again.output) == (0, "bars.csv: 0 taken\n")
    bad = CliRunner().invoke(commands, ["import", "files", str(tmp_path / "bad.csv")])
    assert bad.exit_code == 1


def test_a_table_of_closes_overwrites_nothing_that_it_does_not_hold(
    client: FlaskClient, outside: Outside
) -> None:
    """The other prices and the volume of known bars stay; a close outside of its bar is not taken."""
    worked(client, outside, number := bring(client, "bars.csv", BARS))
    worked(client, outside, number, "take")
    before = outside.bars.some(["QUVNA"])
    rows = {2: "11", 3: "10,03", 4: "12", 21: "10,5"}
    closes = "code;day;high;close\n" + "".join(
        f"QUVNA;{day:02d}.03.2026;99;{close}\n" for day, close in rows.items()
    )
    number = bring(client, "closes.csv", closes)
    own = worked(client, outside, number)
    account = own["account"]
    assert counts(own) == (1, 1, 1, 0)
    assert (account["kept"], account["beyond_count"]) == (2, 1)
    assert account["unsaid"] == ["open", "high", "low", "volume"]
    assert account["beyond"][0]["after"] == 12.0
    lack, volume = (doubt for doubt in own["doubts"] if doubt.startswith("no column"))
    assert lack.startswith("no column is the open or the low: high can't be used then")
    assert volume.startswith("no column is the volume")
    worked(client, outside, number, "take")
    after = outside.bars.some(["QUVNA"])
    for name in ("open", "high", "low", "volume"):
        assert (after.columns[name][:19] == before.columns[name]).all()
    assert after.columns["close"][[0, 1, 2, 19]].tolist() == [11.0, 10.03, 10.04, 10.5]
    assert after.columns["high"][19] == after.columns["open"][19] == 10.5


def test_the_doubts_told_of_an_import_are_those_of_what_came_in(
    client: FlaskClient, outside: Outside
) -> None:
    jump = BARS.replace("QUVNA;05.03.2026;10,5;11,25;9,5;10,", "QUVNA;05.03.2026;95;99;94;95,")
    worked(client, outside, number := bring(client, "bars.csv", jump))
    assert worked(client, outside, number, "take")["account"]["findings"] > 0
    later = bring(client, "later.csv", BARS.split("QUVNA")[0] + "QUVNA;23.03.2026;10;11;9;10;1\n")
    worked(client, outside, later)
    assert worked(client, outside, later, "take")["account"]["findings"] == 0
    assert any(own.code == "QUVNA" for own in outside.market.findings())


def test_an_import_is_taken_back_whole_but_for_what_a_later_one_changed(
    client: FlaskClient, outside: Outside
) -> None:
    first = bring(client, "bars.csv", BARS)
    assert client.get(f"/api/imports/{first}/back").status_code == 409
    worked(client, outside, first)
    worked(client, outside, first, "take")
    before = outside.bars.some(["QUVNA"])
    text = BARS.replace("10,5;11,25;9,5;10,", "10;11;9;10,")
    present = client.get("/api/thread").json["now"]
    second = bring(client, "second.csv", text + "QUVNA;21.07.2026;10;11;9;10;1\n")
    assert counts(worked(client, outside, second))[:2] == (1, 19)
    worked(client, outside, second, "take")
    assert client.get("/api/thread").json["now"] == "2026-07-22T00:00:00Z" != present
    third = bring(client, "third.csv", text.replace(";10,02;100", ";9,5;100").split("QUVNA;03")[0])
    worked(client, outside, third)
    worked(client, outside, third, "take")
    would = client.get(f"/api/imports/{second}/back").json
    assert (would["removed"], would["restored"]) == (1, 18)
    assert would["covered"] == [{"import_id": third, "count": 1}]
    own = worked(client, outside, second, "back")
    assert (own["state"], own["uncovered"]) == ("gone", would)
    assert client.get("/api/thread").json["now"] == present, "the desk looks from where it did"
    assert client.post(f"/api/imports/{second}/back").json["state"] == "gone"
    assert client.post(f"/api/imports/{second}/take").status_code == 409
    worked(client, outside, third, "back")
    after = outside.bars.some(["QUVNA"])
    for name, column in before.columns.items():
        assert (after.columns[name] == column).all()
    own = worked(client, outside, first, "back")
    assert own["uncovered"]["put_away"] == 1
    assert "QUVNA" not in {i.code for i in outside.market.instruments()}
    nothing = worked(client, outside, bring(client, "bars.csv", BARS))
    assert counts(nothing) == (19, 0, 0, 0)


def test_lists_are_taken_back_but_for_what_is_otherwise_by_now(
    client: FlaskClient, outside: Outside
) -> None:
    """Instruments, venues, events and facts; what was changed by hand since stays, and is told."""
    code = outside.market.instruments()[0].code
    lists = {
        "venues.csv": "name;hours;zone\nQuay;09:00-17:30;UTC\nOther Quay;09:00-17:00;UTC\n",
        "papers.csv": f"code,name,venue\nQUVNA,Quvna Lamps,Quay\n{code},Changed,\nKWEN,Kwen,\n",
        "events.csv": "event,day,instrument,title\nReport,2026-07-01,QUVNA,Half year\n",
        "facts.csv": "code,held from,known from,rating\n"
        f"{code},2026-01-02,2026-01-05,4\nQUVNA,2026-01-02,2026-01-05,5\n",
    }
    before = outside.market.reference()
    numbers = {}
    for name, text in lists.items():
        own = worked(client, outside, bring(client, name, text))
        assert own["account"]["refused"] == 0, own["account"]
        worked(client, outside, own["id"], "take")
        numbers[name] = own["id"]
    named = {"code": "KWEN", "name": "Kwen Ropes"}
    assert client.put("/api/instruments", json={"described": [named]}).status_code == 200
    done = {
        name: worked(client, outside, number, "back")["uncovered"]
        for name, number in reversed(numbers.items())
    }
    told = {n: (own["removed"], own["restored"], own["covered"]) for n, own in done.items()}
    assert told == {
        "venues.csv": (2, 0, []),
        "papers.csv": (1, 1, [{"import_id": 0, "count": 1}]),
        "events.csv": (1, 0, []),
        "facts.csv": (2, 0, []),
    }
    after = outside.market.reference()
    assert [i for i in after.instruments if i.code != "KWEN"] == list(before.instruments)
    assert after.by_code["KWEN"].name == "Kwen Ropes"
    assert (after.venues, after.events, after.dated) == (before.venues, before.events, before.dated)


def tarred(files: dict[str, str | bytes]) -> bytes:
    packed = io.BytesIO()
    with tarfile.open(fileobj=packed, mode="w") as archive:
        for name, text in files.items():
            content = text if isinstance(text, bytes) else text.encode()
            own = tarfile.TarInfo(name)
            own.size = len(content)
            archive.addfile(own, io.BytesIO(content))
    return packed.getvalue()


def send_some(client: FlaskClient, token: str, files: dict[str, str | bytes], last: bool) -> Any:
    return client.post(
        f"/api/imports/many?gathering={token}&last={str(last).lower()}",
        data=tarred(files),
        content_type="application/octet-stream",
    ).json


def share(code: str, days: int = 4, column: str = "") -> tuple[str, str]:
    head = f"day;open;high;low;close;volume{column}\n"
    rows = "".join(
        f"{day:02d}.03.2026;10,5;11,25;9,5;10,{day:02d};100\n" for day in range(2, 2 + days)
    )
    return f"bars/{code}.csv", head + rows


def test_a_zip_of_many_tables_is_many_files(client: FlaskClient, outside: Outside) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, text in (share("QUVNA"), share("TARO"), ("bars/note.csv", "\0\0")):
            archive.writestr(name, text)
    files: dict[str, str | bytes] = {
        "mine.zip": packed.getvalue(),
        "sheet.zip": WORKBOOK.getvalue(),
    }
    gathered = send_some(client, "c" * 16, files, last=True)
    (own,) = gathered["imports"]
    turned = [(t["name"], t["problem"]["message"]) for t in gathered["turned"]]
    assert turned[0] == ("note.csv", "the file is no table of text")
    assert turned[1] == ("sheet.zip", "sheet.zip is a workbook of a spreadsheet program")
    assert (own["file_count"], own["layout"]["by_file"]) == (2, True)
    assert worked(client, outside, own["id"])["account"]["codes"] == ["QUVNA", "TARO"]
    cut = {"cut.zip": packed.getvalue()[:300]}
    (told,) = send_some(client, "d" * 16, cut, last=True)["turned"]
    assert "can't be unpacked" in told["problem"]["message"]
    assert not list(outside.files.folder.glob("held-*")), "nothing is left of them"  # type: ignore[attr-defined]


def test_many_files_of_one_shape_are_one_import_and_others_stand_apart(
    client: FlaskClient, outside: Outside
) -> None:
    """Each file is of the instrument that its name says; one that can't be read stops only itself."""
    token = "0123456789abcdef"
    first = dict([share("QUVNA"), share("KWE OSK", 3)])
    gathered = send_some(client, token, {**first, "note.csv": b"\0\0"}, last=False)
    assert [(t["name"], t["problem"]["code"]) for t in gathered["turned"]] == [
        ("note.csv", "unreadable_file")
    ]
    assert [own["state"] for own in gathered["imports"]] == ["coming"]
    second = dict([share("TARO", 2), ("venues.csv", "name;hours;zone\nQuay;09:00-17:30;UTC\n")])
    second["bars/TARO.csv"] += "9.3.2026;10;9;8;10;1\nx;1\n"
    gathered = send_some(client, token, second, last=True)
    many, venues = gathered["imports"]
    assert (many["name"], many["file_count"], many["state"]) == (
        "QUVNA.csv and 2 more",
        3,
        "reading",
    )
    assert (venues["name"], venues["layout"]["content"]) == ("venues.csv", "venues")
    own = worked(client, outside, many["id"])
    assert (own["account"]["instruments"], counts(own)) == (3, (9, 0, 0, 2))
    told = [(r["file"], r["line"], r["column"]) for r in own["account"]["refusals"]]
    assert told == [("TARO.csv", 4, "high"), ("TARO.csv", 5, "all")]
    refused = client.get(f"/api/imports/{many['id']}/refused").text.splitlines()
    assert refused[0] == "day;open;high;low;close;volume;file;line;reason"
    assert refused[1].startswith("9.3.2026;10;9;8;10;1;TARO.csv;4;high")
    path = f"/api/imports/{many['id']}"
    lines = client.get(f"{path}/lines?words=k").json
    assert [(line["code"], line["new"]) for line in lines["lines"]] == [("KWE OSK", 3)]
    across = {**own["layout"], "across": True}
    assert client.put(f"{path}/layout", json={"layout": across}).json["code"] == "wrong_layout"
    left = client.put(f"{path}/left-out", json={"codes": ["KWE OSK", "NONE"]}).json
    assert (left["left_out"], left["left_rows"]) == (["KWE OSK"], 3)
    own = worked(client, outside, many["id"], "take")
    assert own["account"]["new"] == 6
    assert client.put(f"{path}/left-out", json={"codes": []}).status_code == 409
    codes = {instrument.code for instrument in outside.market.instruments()}
    assert {"QUVNA", "TARO"} <= codes
    assert "KWE OSK" not in codes
    back = client.post(f"{path}/back/some", json={"codes": ["TARO"]}).json
    assert (back["removed"], back["put_away"]) == (2, 1)
    assert client.get(path).json["own"]["left_out"] == ["KWE OSK", "TARO"]
    assert "TARO" not in {instrument.code for instrument in outside.market.instruments()}
    # The next such files are read as these; one of another encoding or header is of another shape.
    more = dict([share("QUVNA", 5), share("NEWER"), share("WIDER", 2, ";note")])
    gathered = send_some(client, token.replace("0", "f"), more, last=True)
    assert [own["file_count"] for own in gathered["imports"]] == [2, 1]
    own = worked(client, outside, gathered["imports"][0]["id"])
    assert counts(own) == (5, 0, 4, 0)
    found = client.get("/api/imports?words=TARO").json
    assert [own["id"] for own in found] == [many["id"]]


def test_files_that_stop_coming_are_gone_on_with_or_put_away(
    client: FlaskClient, outside: Outside
) -> None:
    gathered = send_some(client, "a" * 16, dict([share("QUVNA"), share("TARO")]), last=False)
    number = gathered["imports"][0]["id"]
    assert client.post(f"/api/imports/{number}/take").status_code == 409
    assert client.post(f"/api/imports/{number}/read").json["state"] == "reading"
    assert client.post(f"/api/imports/{number}/read").status_code == 409
    assert worked(client, outside, number)["account"]["instruments"] == 2
    bad = client.post(
        f"/api/imports/many?gathering={'b' * 16}&last=true",
        data=b"no archive" * 200,
        content_type="application/octet-stream",
    )
    assert bad.json["code"] == "unreadable_file"


def zipped(**tables: str) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("folder/", "")
        for name, text in tables.items():
            archive.writestr(f"folder/{name}.csv", text)
    return packed.getvalue()


@pytest.mark.parametrize(
    ("name", "content", "inner"),
    [
        ("bars.csv.gz", gzip.compress(BARS.encode()), "bars.csv"),
        ("BARS.GZ", gzip.compress(BARS.encode()), "BARS"),
        ("mine.zip", zipped(inside=BARS), "inside.csv"),
        ("mine.csv", zipped(inside=BARS), "inside.csv"),
    ],
    ids=["gz", "GZ", "zip", "zip as csv"],
)
def test_a_packed_table_is_read_as_the_table_within(
    client: FlaskClient, outside: Outside, name: str, content: bytes, inner: str
) -> None:
    number = brought(client, name, content).json["id"]
    own = worked(client, outside, number)
    assert (own["name"], counts(own)) == (inner, (19, 0, 0, 0))


WORKBOOK = io.BytesIO()
with zipfile.ZipFile(WORKBOOK, "w") as _sheet:
    _sheet.writestr("[Content_Types].xml", "")


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (WORKBOOK.getvalue(), "save it as CSV"),
        (b"\xd0\xcf\x11\xe0" + bytes(40), "save it as CSV"),
        (zipped(), "holds no file"),
        (zipped(a=BARS, b=BARS), "holds 2 files"),
        (gzip.compress(BARS.encode())[:60], "can't be unpacked"),
        (zipped(a=BARS)[:80], "can't be unpacked"),
        (gzip.compress(bytes(9_000_000)), "no table of text"),
    ],
    ids=["workbook", "old workbook", "empty", "two", "cut gz", "cut zip", "no text"],
)
def test_what_holds_no_one_table_is_told_and_nothing_stays(
    client: FlaskClient, outside: Outside, content: bytes, said: str
) -> None:
    before = len(client.get("/api/imports").json)
    reply = brought(client, "given", content)
    assert reply.status_code == 422, reply.json
    assert said in f"{reply.json['message']} {reply.json['mend']}"
    assert len(client.get("/api/imports").json) == before


def test_a_packed_table_of_too_many_bytes_is_refused_as_it_is_unpacked(
    client: FlaskClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uploads, "MOST_BYTES", 1_000_000)
    reply = brought(client, "given.gz", gzip.compress(bytes(5_000_000)))
    assert (reply.status_code, reply.json["code"]) == (422, "too_large")


ACROSS = (
    "Price,Close,Close,High,High,Low,Low,Open,Open\n"
    "Ticker,KES,BRI,KES,BRI,KES,BRI,KES,BRI\nDate,,,,,,,,\n"
)
ACROSS += "".join(
    f"2026-03-{day:02d},10.{day},{'' if day == 5 else 20},11,21,9,19,10,20\n"
    for day in range(2, 13)
)


@pytest.mark.parametrize("form", ["csv", "parquet"])
def test_instruments_across_are_read_as_rows_or_as_they_came(
    client: FlaskClient, outside: Outside, form: str
) -> None:
    """With a price missing in the middle: that bar is not there."""
    content = ACROSS.encode()
    if form == "parquet":
        head, below, _, *rows = csv.reader(ACROSS.splitlines())
        names = [str(both) for both in zip(head, below, strict=True)]
        cells = list(zip(*rows, strict=True))
        columns = {
            n: [float(c) if c else None for c in own]
            for n, own in zip(names[1:], cells[1:], strict=True)
        }
        packed = io.BytesIO()
        pq.write_table(pa.table({**columns, "Date": list(cells[0])}), packed)
        content = packed.getvalue()
    number = brought(client, f"prices.{form}", content).json["id"]
    own = worked(client, outside, number)
    assert own["doubts"][0] == "each of 2 instruments has columns of its own: they are read as rows"
    assert (counts(own), own["account"]["codes"]) == ((21, 0, 0, 0), ["BRI", "KES"])
    turned = own["layout"] | {"across": False}
    plain = client.put(f"/api/imports/{number}/layout", json={"layout": turned}).json
    assert not plain["layout"]["across"]
    back = plain["layout"] | {"across": True}
    client.put(f"/api/imports/{number}/layout", json={"layout": back})
    assert counts(worked(client, outside, number)) == (21, 0, 0, 0)
    worked(client, outside, number, "take")
    kept = outside.bars.some(["KES", "BRI"])
    assert kept.columns["close"][kept.rows(kept.position("KES"))][0] == 10.2
    assert kept.columns["high"][kept.rows(kept.position("BRI"))][0] == 21.0
    assert len(kept.times[kept.rows(kept.position("BRI"))]) == 10
