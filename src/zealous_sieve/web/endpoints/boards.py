"""Boards of instruments by formulas."""

from __future__ import annotations

from zealous_sieve.core.pages.board import BoardColumn, BoardSet
from zealous_sieve.usecases.background import boards
from zealous_sieve.usecases.background.boards import Board
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import BoardBody


def contract(outside: Outside) -> Contract:
    api = Contract("boards", __doc__)

    @api.endpoint("POST", "/board", reply=Board, body=BoardBody)
    def look_at_board(body: BoardBody) -> Board:
        """Formulas over the instruments of a universe, now and some bars ago."""
        columns = tuple(BoardColumn(**column.model_dump()) for column in body.columns)
        asked = BoardSet(universe=body.universe, columns=columns, forming=body.forming)
        return boards.board(outside, asked, wanted(OrderKind.PREVIEW))

    return api
