"""The only place that joins everything. Each process loads what it needs, and no more, to be there soon."""

from __future__ import annotations

import logging
import os
import shutil
import subprocess
import sys
from dataclasses import replace

from zealous_sieve import environment
from zealous_sieve.admission import Admission
from zealous_sieve.compute.apart import Apart
from zealous_sieve.compute.here import Here
from zealous_sieve.compute.shared import Shared
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.warm import read_bodies, warm_cache
from zealous_sieve.core.evidence.trades import compile_walk
from zealous_sieve.jobs.queue import Queue, work
from zealous_sieve.processes import give_memory_back, start_child
from zealous_sieve.storage.arrangements import ArrangementStore
from zealous_sieve.storage.backup import BackupFiles
from zealous_sieve.storage.bars import BarStore
from zealous_sieve.storage.database import MAIN_OWNER, Database
from zealous_sieve.storage.files import TableFiles
from zealous_sieve.storage.formulas import FormulaStore
from zealous_sieve.storage.hits import HitStore
from zealous_sieve.storage.imports import ImportStore
from zealous_sieve.storage.machine import MACHINE_NAME as MACHINE
from zealous_sieve.storage.machine import MachineFile
from zealous_sieve.storage.market import MarketStore
from zealous_sieve.storage.mendings import MendingStore
from zealous_sieve.storage.outlooks import OutlookStore
from zealous_sieve.storage.owners import owners
from zealous_sieve.storage.runs import RunStore
from zealous_sieve.storage.services import ServicesFile, crashed
from zealous_sieve.storage.sieves import SieveStore
from zealous_sieve.storage.universes import UniverseStore
from zealous_sieve.storage.uploads import Uploads
from zealous_sieve.storage.work import WorkStore
from zealous_sieve.usecases.across.whole import check_whole
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of, mark_of
from zealous_sieve.usecases.errors import UseCaseError

_log = logging.getLogger(__name__)


def outside(address: str) -> Outside:
    """Everything the use cases need, on one database, for its one owner."""
    return for_owner(Database(address), MAIN_OWNER)


def for_owner(database: Database, owner: str) -> Outside:
    """Everything the use cases need for one owner; what belongs to others is not there."""
    own = database.for_owner(owner)
    name = os.environ.get(environment.COMPUTE)
    made = Outside(
        compute=Shared(Apart(name, owner), lambda: mark_of(made.market))
        if name
        else Here(lambda: desk_of(made), lambda: made),
        executor=LOCAL,
        bars=BarStore(own),
        market=MarketStore(own),
        mendings=MendingStore(own),
        universes=UniverseStore(own),
        arrangements=ArrangementStore(own),
        outlooks=OutlookStore(own),
        formulas=FormulaStore(own),
        sieves=SieveStore(own),
        runs=RunStore(own),
        hits=HitStore(own),
        imports=ImportStore(own),
        work=WorkStore(own),
        files=Uploads(environment.uploads(own.address) / owner),
        tables=TableFiles(),
        backup=BackupFiles(own, lambda database: check_whole(for_owner(database, owner))),
        queue=Queue(own.address, owner),
        machine=MachineFile(environment.data_folder() / MACHINE),
        services=ServicesFile(environment.services()),
    )
    return made


class _Owners:
    """What the use cases need for each owner, made once."""

    def __init__(self, address: str) -> None:
        self.database = Database(address)
        self._known: dict[str, Outside] = {}

    def get(self, owner: str) -> Outside:
        if owner not in self._known:
            self._known[owner] = for_owner(self.database, owner)
        return self._known[owner]

    def names(self) -> list[str]:
        return owners(self.database.engine) or [MAIN_OWNER]


def run_web(port: int) -> None:
    """The web process."""
    from zealous_sieve.web.server import serve

    address = environment.address()
    admission = Admission.begun(environment.data_folder())
    serve(outside(address), port, admission, environment.uploads(address))


def run_worker() -> None:
    """The worker process."""
    known = _Owners(environment.address())
    work(known.database.address, known.get, known.names)


def run_compute() -> None:
    """The process that computes, under the name in the environment."""
    from zealous_sieve.compute.server import Server

    address = environment.address()
    known = _Owners(address)
    bars = known.get(MAIN_OWNER).bars
    held: list[Panel] = []
    kept: dict[str, tuple[str, Desk]] = {}

    def desk(owner: str) -> Desk:
        """The desk of an owner now; what reading new bars took beside them is given back."""
        own = known.get(owner)
        mark = mark_of(own.market)
        if owner in kept and kept[owner][0] == mark:
            return kept[owner][1]
        now = desk_of(replace(own, bars=bars))
        kept[owner] = (mark, now)
        if not held or held[0] is not now.panel:
            held[:] = [now.panel]
            give_memory_back()
        # Worked out once, not in each copy.
        _ = now.reference.names, now.reference.seen_at(int(now.now.timestamp()))
        return now

    def ready() -> None:
        """Have the bars and the compiled code at hand before the first copy is made."""
        read_bodies()
        try:
            desk(MAIN_OWNER)
        except UseCaseError as error:
            _log.warning("%s", error)
        states = ServicesFile(environment.services()).states()
        have_compiled(broken=crashed(states, environment.COMPUTING))

    def apart(owner: str) -> Outside:
        """In a copy: what the owner has, over connections of its own."""
        return for_owner(Database(address), owner)

    Server(os.environ[environment.COMPUTE], desk, apart).run(ready)


MOST_COMPILING = 4
"""So many processes compile at once: each has to compile what all kernels have in common."""


def begin_to_compile() -> list[subprocess.Popen[bytes]]:
    """Begin to compile what is not kept yet, beside whatever else is to be done."""
    if environment.is_compiled() or environment.kernels() is None:
        return []
    parts = min(MOST_COMPILING, len(os.sched_getaffinity(0)))
    code = "from zealous_sieve.core.engine.warm import compile_part; compile_part({}, {})"
    codes = [code.format(n, parts) for n in range(parts)]
    codes.append("from zealous_sieve.core.evidence.trades import compile_walk; compile_walk()")
    return [start_child([sys.executable, "-c", code]) for code in codes]


def have_compiled(*, broken: bool = False) -> None:
    """Load all compiled code, compiling what is not kept; what is kept but can't be read is made anew.

    ``broken`` says that the code is not to be trusted: the process crashed with it.
    """
    kept = environment.kernels()
    try:
        if broken:
            raise RuntimeError("the process crashed")
        _load_compiled()
    except Exception as error:
        if kept is None:
            raise
        _log.warning("the compiled code is made anew: %s", error)
        shutil.rmtree(kept, ignore_errors=True)
        _load_compiled()
    environment.mark_compiled()


def _load_compiled() -> None:
    warm_cache()
    compile_walk()
