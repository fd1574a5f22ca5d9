"""A PostgreSQL of the tests' own, with the demo filled in once and copied for every test."""

from __future__ import annotations

import itertools
import os
import shutil
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, nullcontext
from pathlib import Path
from random import Random
from typing import Any

import psycopg
import pytest
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import HealthCheck, settings

from zealous_sieve import bootstrap, environment
from zealous_sieve.admission import Admission, keep
from zealous_sieve.client import Client
from zealous_sieve.core.demo.intraday import Extent
from zealous_sieve.local.cluster import DESK, KEEPER, Cluster, cluster_in, free_port
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.table.demo import fill_demo
from zealous_sieve.web.endpoints.access import ADMISSION
from zealous_sieve.web.strangers import cookie_at

settings.register_profile(
    "any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("any machine")

SMALL = Extent(minutes=2, quarters=6, trades=1)
"""The demo of the tests has less within the day, so that it can be copied for every test."""

FILLED = "filled"
"""In the folder of the cluster: that the demo is there; or, in words, why it is not."""

_numbers = itertools.count(1)
# Nothing is read of, or written to, the data of whoever runs the tests.
_own = tempfile.TemporaryDirectory(prefix="zealous-sieve-data-")
os.environ[environment.DATA] = _own.name


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--shuffled", type=int, metavar="SEED", help="tests of a file in an order by lot"
    )


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """No test leans on another: files stay where they are, the tests in them change places."""
    seed = config.getoption("shuffled")
    if seed is not None:
        lots = {item.nodeid: Random(f"{seed} {item.nodeid}").random() for item in items}
        places = {path: n for n, path in enumerate(dict.fromkeys(item.path for item in items))}
        items.sort(key=lambda item: (places[item.path], lots[item.nodeid]))


@pytest.hookimpl(optionalhook=True)
def pytest_configure_node(node: Any) -> None:
    """Where several workers test, they share one server, which is filled while they begin."""
    config = node.config
    if not hasattr(config, "desks"):
        config.desks = ExitStack()
        config.folder = config.desks.enter_context(_server()).folder.parent
        filling = "from tests.conftest import fill; import sys; fill(sys.argv[1])"
        subprocess.Popen([sys.executable, "-c", filling, str(config.folder)])
    node.workerinput["desks"] = str(config.folder)


def pytest_unconfigure(config: Any) -> None:
    if hasattr(config, "desks"):
        config.desks.close()


@contextmanager
def _server() -> Iterator[Cluster]:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-test-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        own = cluster_in(Path(folder))
        own.start()
        for setting in ("fsync = off", "full_page_writes = off", "max_connections = 300"):
            _tell(own, f"ALTER SYSTEM SET {setting}")
        own.stop()
        own.start()
        yield own
        own.destroy()


@pytest.fixture(scope="session")
def cluster(request: pytest.FixtureRequest) -> Iterator[Cluster]:
    shared = getattr(request.config, "workerinput", {}).get("desks")
    with nullcontext(cluster_in(Path(shared))) if shared else _server() as own:
        yield own


def _tell(cluster: Cluster, statement: str) -> None:
    address = cluster.address_of("postgres", KEEPER)
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute(statement)


@pytest.fixture(scope="session")
def demo(cluster: Cluster, request: pytest.FixtureRequest) -> str:
    """The name of a database with the demo, to copy."""
    folder = cluster.folder.parent
    if not hasattr(request.config, "workerinput"):
        fill(str(folder))
    until = time.monotonic() + 900
    while not (folder / FILLED).exists():
        assert time.monotonic() < until, "the demo is not there"
        time.sleep(0.2)
    assert (folder / FILLED).read_text() == ""
    return "demo"


def fill(folder: str) -> None:
    """Fill the server in a folder with the demo; why that fails is told in a file there."""
    told = ""
    try:
        address = cluster_in(Path(folder)).make_database("demo")
        migrate(address)
        outside = bootstrap.outside(address)
        assert fill_demo(outside, lambda _: None, SMALL)
        assert not fill_demo(outside, lambda _: None)
        outside.bars.database.engine.dispose()
    except Exception:
        told = traceback.format_exc()
    keep(Path(folder) / FILLED, told)


def copy_of(cluster: Cluster, name: str) -> str:
    """The address of a copy of a database."""
    copy = f"copy_{os.getpid()}_{next(_numbers)}"
    _tell(cluster, f"CREATE DATABASE {copy} OWNER {DESK} TEMPLATE {name} STRATEGY file_copy")
    return cluster.address_of(copy)


@pytest.fixture
def address(cluster: Cluster, demo: str) -> Iterator[str]:
    """A fresh copy of the demo database, for one test."""
    own = copy_of(cluster, demo)
    yield own
    _tell(cluster, f"DROP DATABASE {own.rpartition('/')[2]} WITH (FORCE)")


@pytest.fixture(scope="session")
def as_it_came(cluster: Cluster, demo: str) -> Outside:
    """The desk as it comes with the demo; the database refuses whatever would change it."""
    own = copy_of(cluster, demo)
    name = own.rpartition("/")[2]
    _tell(cluster, f"ALTER DATABASE {name} SET default_transaction_read_only = on")
    return bootstrap.outside(own)


@pytest.fixture
def outside(request: pytest.FixtureRequest) -> Outside:
    """A desk of the test's own, or one that it shares with all that only read."""
    if request.node.get_closest_marker("reads"):
        shared: Outside = request.getfixturevalue("as_it_came")
        return shared
    return lent(request.getfixturevalue("as_it_came"), request.getfixturevalue("address"))


def lent(shared: Outside, address: str) -> Outside:
    """The desk of a copy of the demo, which begins with the bars that were read for another: what changes
    in it is read anew, as ever."""
    own = bootstrap.outside(address)
    shared.bars.panel()
    own.bars._kept = shared.bars._kept  # type: ignore[attr-defined]
    return own


@pytest.fixture
def client(outside: Outside, tmp_path_factory: pytest.TempPathFactory) -> FlaskClient:
    from zealous_sieve.web.app import create_app

    admission = Admission.begun(tmp_path_factory.mktemp("admission"))
    return session_of(create_app(outside, admission))


def session_of(app: Flask) -> FlaskClient:
    """A browser of its own, with its cookie and token."""
    own = app.test_client()
    own.set_cookie(cookie_at("localhost"), app.extensions[ADMISSION].browser_pass())
    own.environ_base["HTTP_X_SESSION_TOKEN"] = own.get("/api/session").json["token"]
    return own


class Service:
    """The processes of an application, started as ./start starts them."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.port = free_port()
        self.base = f"http://127.0.0.1:{self.port}"
        self.folder = Path(tempfile.mkdtemp(prefix="zealous-sieve-desk-"))
        self.client = Client(self.base, folder=self.folder)
        self.processes: dict[str, subprocess.Popen[bytes]] = {}

    def start(self, name: str, *arguments: str) -> None:
        told = os.environ | {
            environment.ADDRESS: self.address,
            environment.COMPUTE: self.base,
            environment.DATA: str(self.folder),
        }
        command = [sys.executable, "-m", "zealous_sieve.cli.main", name, *arguments]
        self.processes[name] = subprocess.Popen(command, env=told)

    def start_all(self) -> None:
        self.start("compute")
        self.start("serve", "--port", str(self.port))
        self.start("worker")
        self.wait()

    def wait(self) -> None:
        for _ in range(3000):
            try:
                self.client.ask("GET", "/thread", timeout=5)
                return
            except OSError:
                time.sleep(0.1)
        raise TimeoutError("the web process does not answer")

    def kill(self, name: str) -> None:
        process = self.processes.pop(name)
        process.kill()
        process.wait()

    def stop(self) -> None:
        for process in self.processes.values():
            process.terminate()
        for process in self.processes.values():
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
        shutil.rmtree(self.folder, ignore_errors=True)

    @property
    def shown(self) -> dict[str, str]:
        """The header by which a request shows that it is the owner's."""
        return {"Authorization": f"Bearer {Admission.known(self.folder).script_pass()}"}

    def admit(self, context: Any) -> None:
        """Let a browser's context in, as the address of ./start does."""
        admission = Admission.known(self.folder)
        name = cookie_at(self.base.removeprefix("http://"))
        context.add_cookies([{"name": name, "value": admission.browser_pass(), "url": self.base}])


@pytest.fixture(scope="session")
def service(cluster: Cluster, demo: str) -> Iterator[Service]:
    """A running application on its own copy of the demo."""
    running = Service(copy_of(cluster, demo))
    running.start_all()
    yield running
    running.stop()
