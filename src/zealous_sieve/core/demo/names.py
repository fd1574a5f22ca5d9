"""Names of companies, currencies and goods."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

EXCHANGE = "Lantern Exchange"
CURRENCY_ROOM = "Coast Currency Room"
GOODS_YARD = "Harbour Goods Yard"
HOME = "LMN"
"""The currency in which shares, goods and the index are quoted."""


@dataclass(frozen=True, slots=True)
class Sector:
    name: str
    prefix: str
    words: tuple[str, ...]


SECTORS = (
    Sector("tidal power", "TP", ("Tidal", "Currents", "Tideworks")),
    Sector("ropeworks", "RW", ("Ropeworks", "Cordage", "Hawsers")),
    Sector("glass", "GL", ("Glass", "Lens Works", "Panes")),
    Sector("salt", "ST", ("Salt", "Brineries", "Saltpans")),
    Sector("clockmaking", "CM", ("Clocks", "Chronometers", "Movements")),
    Sector("apiaries", "AP", ("Apiaries", "Honey", "Waxworks")),
    Sector("kelp", "KP", ("Kelp", "Seaweeds", "Kelp Farms")),
    Sector("printing", "PR", ("Printing", "Presses", "Type Foundry")),
    Sector("ferries", "FY", ("Ferries", "Crossings", "Packet Lines")),
    Sector("lenders", "LD", ("Lenders", "Harbour Loans", "Savings House")),
)

CURRENCIES = {
    "LMN": "lumen",
    "OSK": "oskar",
    "VRL": "verel",
    "TDQ": "tidemark",
    "KWE": "kelwe",
    "BRQ": "brack",
    "ZFN": "zeffin",
    "HLQ": "halque",
}

GOODS = (
    ("LAMPOL", "Lamp oil", 74.0, 0.01, 1000),
    ("SALTIN", "Salt, fine", 212.0, 0.25, 50),
    ("KELPDR", "Kelp, dried", 31.5, 0.05, 400),
    ("WAXYEL", "Yellow wax", 640.0, 0.5, 20),
    ("HONEYC", "Comb honey", 118.0, 0.1, 200),
    ("HEMPRO", "Rope hemp", 57.0, 0.05, 300),
    ("SANDQZ", "Glass sand", 19.4, 0.01, 1500),
    ("BRASSB", "Brass bar", 3350.0, 1.0, 5),
    ("TIMBMA", "Mast timber", 486.0, 0.5, 30),
    ("TARPIN", "Pine tar", 92.0, 0.1, 250),
    ("HERRIN", "Cured herring", 44.0, 0.05, 500),
    ("BARLCO", "Coast barley", 163.0, 0.25, 100),
    ("INKBLK", "Black ink", 275.0, 0.25, 60),
    ("PAPERW", "White paper", 528.0, 0.5, 25),
)

_STARTS = ("Mar", "Os", "Tel", "Bran", "Quil", "Hest", "Wen", "Dor", "Fal", "Ken", "Lys", "Nor",
           "Pell", "Rav", "Sel", "Tor", "Ul", "Ver", "Yar", "Cald")  # fmt: skip
_MIDDLES = ("ro", "ter", "a", "i", "ow", "en", "ar", "o", "e", "un")
_ENDS = ("wick", "mouth", "haven", "lin", "sey", "mere", "stow", "by", "quay", "ness", "holm",
         "gate")  # fmt: skip


@dataclass(frozen=True, slots=True)
class Company:
    code: str
    name: str
    sector: Sector


def companies(rng: np.random.Generator, per_sector: int = 24) -> list[Company]:
    """Companies with codes and names that occur once."""
    found: list[Company] = []
    codes: set[str] = set()
    names: set[str] = set()
    for sector in SECTORS:
        while sum(c.sector is sector for c in found) < per_sector:
            town = "".join(_pick(rng, syllables) for syllables in (_STARTS, _MIDDLES, _ENDS))
            code = sector.prefix + "".join(c for c in town.upper() if c not in "AEIOU")[:4]
            if len(code) < 6 or code in codes or town in names:
                continue
            codes.add(code)
            names.add(town)
            found.append(Company(code, f"{town} {_pick(rng, sector.words)}", sector))
    return found


def _pick(rng: np.random.Generator, choices: tuple[str, ...]) -> str:
    return choices[int(rng.integers(len(choices)))]
