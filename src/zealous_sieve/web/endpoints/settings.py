"""Preferences, and a backup of all that was made."""

from __future__ import annotations

import tempfile
from io import BytesIO
from pathlib import Path

from flask import Response, send_file

from zealous_sieve import clock
from zealous_sieve.usecases.desk import beginnings, preferences
from zealous_sieve.usecases.desk.beginnings import Beginning
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.preferences import Preferences
from zealous_sieve.usecases.table import demo
from zealous_sieve.usecases.table.demo import DemoState
from zealous_sieve.web.contract import Contract, uploaded
from zealous_sieve.web.shapes import DemoBody, PreferencesBody, ReplaceQuery
from zealous_sieve.web.strangers import OCTETS


def contract(outside: Outside) -> Contract:
    api = Contract("settings", __doc__)

    @api.endpoint("GET", "/preferences", reply=Preferences)
    def get_preferences() -> Preferences:
        """How the application is looked at."""
        return preferences.preferences(outside.market)

    @api.endpoint("PUT", "/preferences", reply=Preferences, body=PreferencesBody)
    def put_preferences(body: PreferencesBody) -> Preferences:
        """Choose how the application is looked at."""
        return preferences.prefer(outside.market, body.preferences)

    @api.endpoint("GET", "/beginning", reply=Beginning)
    def get_beginning() -> Beginning:
        """Where pages of this desk begin."""
        return beginnings.beginning(outside)

    @api.endpoint("GET", "/demo", reply=DemoState)
    def get_demo() -> DemoState:
        """Whether the demo is here, or on its way."""
        return demo.demo_state(outside)

    @api.endpoint("PUT", "/demo", reply=DemoState, body=DemoBody)
    def put_demo(body: DemoBody) -> DemoState:
        """Take the demo away whole, or bring it back."""
        return demo.turn_demo(outside, here=body.here)

    @api.endpoint("GET", "/backup", gives="application/zip")
    def get_backup() -> Response:
        """Everything that was made here, as one file."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "backup.zip"
            outside.backup.write(path)
            content = BytesIO(path.read_bytes())
        name = f"zealous-sieve {clock.present():%Y-%m-%d %H.%M}.zip"
        return send_file(content, "application/zip", as_attachment=True, download_name=name)

    @api.endpoint("POST", "/backup", reply=dict[str, int], query=ReplaceQuery, takes=OCTETS)
    def restore_backup(query: ReplaceQuery) -> dict[str, int]:
        """Put back what is in a backup; how many rows of what."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "backup.zip"
            with path.open("wb") as file:
                for piece in uploaded():
                    file.write(piece)
            return outside.backup.restore(path, replace=query.replace)

    return api
