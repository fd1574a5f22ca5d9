"""How far work is."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[int, int], None]
"""Called with the instruments done and the instruments in all."""
