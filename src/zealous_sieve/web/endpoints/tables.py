"""Lists as they are seen, as files."""

from __future__ import annotations

from io import BytesIO

from flask import Response, send_file

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import TableBody
from zealous_sieve.web.strangers import OCTETS


def contract(outside: Outside) -> Contract:
    api = Contract("tables", __doc__)

    @api.endpoint("POST", "/tables", body=TableBody, gives=OCTETS)
    def write_list(body: TableBody) -> Response:
        """A list as a CSV or Parquet file."""
        columns = {column.name: column.values for column in body.columns}
        lengths = {len(values) for values in columns.values()}
        if len(lengths) > 1 or len(columns) < len(body.columns):
            message = "the columns of a table are as long as each other, each with its own name"
            raise DataError(Problem(code="bad_table", message=message, mend="send them so"))
        written = BytesIO(outside.tables.written(columns, body.format))
        name = f"{body.name}.{body.format}"
        return send_file(written, mimetype=OCTETS, as_attachment=True, download_name=name)

    return api
