"""What a function of the language declares about itself.

One declaration feeds the type check, validation, completion, reference page, parameter forms, panes
and the shared battery of tests.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zealous_sieve.core.functions.kernel import KERNELS, WHOLE, Kernel
from zealous_sieve.core.functions.units import Unit


class Kind(StrEnum):
    """What a value is, before it is known how much it is."""

    NUMBER = "number"
    TRUTH = "truth"
    CONSTANT = "constant"
    TEXT = "text"


@dataclass(frozen=True, kw_only=True, slots=True)
class Input:
    """A series that a function works on; ``default`` is the source taken when it is left out.

    ``kind`` is ``None`` where a number and a condition will do alike; an output that shares the
    input's unit then shares its kind.
    """

    name: str
    kind: Kind | None = Kind.NUMBER
    default: str | None = None
    unit: Unit | None = None
    """What it has to be measured in, where not anything will do."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Parameter:
    """A constant of a function, with its bounds; ``whole`` ones count bars.

    A ``text`` one is a text in quotes; ``optional`` says that it may be left out.
    """

    name: str
    low: float = 0
    high: float = 0
    default: float | None = None
    whole: bool = False
    switch: bool = False
    """On or off, 1 or 0."""
    text: bool = False
    choices: tuple[str, ...] = ()
    """The texts that may be given."""
    names: str = ""
    """What a text names: a ``code``, ``fact``, ``event``, ``venue`` or ``currency``."""
    optional: bool = False

    @property
    def needed(self) -> bool:
        """True when it has to be given."""
        return self.default is None and not self.optional


@dataclass(frozen=True, kw_only=True, slots=True)
class Output:
    """One result. ``unit`` may name an input to share its unit; ``None`` is inferred from the body.

    ``span`` is the natural range where there is one, ``levels`` are reference levels to draw.
    """

    name: str = "value"
    unit: Unit | str | None = None
    kind: Kind = Kind.NUMBER
    span: tuple[float, float] | None = None
    levels: tuple[float, ...] = ()
    said: str = ""
    """How it is called in a sentence, where that is not the function's name with its own behind it."""
    states: tuple[str, str] | None = None
    """How it is said that the output is 1, and that it is -1; each yes, then no, parted by a bar."""


def states(subject: str, verb: str, up: str, down: str) -> tuple[str, str]:
    """Of a direction: "the line points up", "the line points down", and their opposites."""
    up, down = (f"{subject} {verb}s {rest}|{subject} does not {verb} {rest}" for rest in (up, down))
    return up, down


@dataclass(frozen=True, kw_only=True)
class Function:
    """A catalogue entry: specification, documentation, and how it is computed.

    Exactly one of ``kernel`` and ``body`` is set; ``body`` is a formula in the language itself.
    ``reads`` are the bar columns a kernel takes besides its inputs.
    """

    name: str
    label: str
    group: str
    inputs: tuple[Input, ...] = ()
    reads: tuple[str, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    outputs: tuple[Output, ...] = (Output(),)
    kernel: Kernel | None = None
    body: str | None = None
    bodies: Mapping[str, str] = field(default_factory=dict)
    """A body for each choice of the parameter that has choices."""
    line: str | None = None
    """A body for another series ``x`` in place of the bars' own, given first."""
    since: str | None = None
    """A body for ``… since c``: ``start`` is the condition, and no length is given."""
    varying: str | None = None
    """A body for a length that differs from bar to bar, which it takes as a series."""
    elsewhere: str | None = None
    """Computed not from the instrument's own bars, but across instruments or of another one."""
    apart: bool = False
    """Its inputs need not share a unit."""
    constants: bool = False
    """Its inputs may be the same on every bar."""
    lead: bool = False
    """Its first output is meant where none is picked."""
    said: str = ""
    """How the result is called in a sentence, or how a condition is said: yes, then no, parted by a bar.
    ``{x}`` is an input, ``{n}`` a parameter; of what begins with its input it may be "its"."""
    synonyms: tuple[str, ...] = ()
    """What else it is called, in the trade or in plain English: read where the name is looked for."""
    names: tuple[str, ...] = ()
    """Words for its values 1, 2, …, by which it may be compared."""
    folds: bool = False
    """Takes any number of values, two and two together."""
    variadic: bool = False
    """Takes any number of its one input and adds them up; ``lean`` with alternating sign."""
    meaning: str
    reading: str
    pitfalls: str
    formula: str
    source: str

    @property
    def hidden(self) -> bool:
        """True for a step that only bodies of other functions use."""
        return self.name.startswith("_")

    @property
    def signature(self) -> str:
        """How it is written, defaults included: ``rsi(x = close, n = 14)``."""
        parts = [f"{i.name} = {i.default}" if i.default else i.name for i in self.inputs]
        for parameter in self.parameters:
            if parameter.choices:
                parts.append(f'"{parameter.choices[0]}"')
                continue
            default = "" if parameter.default is None else f" = {parameter.default:g}"
            parts.append(parameter.name + default)
        if self.variadic or self.folds:
            parts.append("…")
        return f"{self.name}({', '.join(parts)})" if parts else self.name

    def output(self, name: str) -> Output | None:
        """The output of that name."""
        return next((output for output in self.outputs if output.name == name), None)


CATALOGUE: dict[str, Function] = {}
HIDDEN: dict[str, Function] = {}
"""Steps that bodies of other functions use, and that nobody writes; their names begin with ``_``."""


@dataclass(frozen=True)
class Family:
    """Where the functions of one file register."""

    group: str
    constants: bool = False
    """Whether inputs of its functions may be the same on every bar."""

    def add(self, name: str, label: str, **rest: object) -> Function:
        """Register a function that is written in the language, by its ``body``."""
        rest.setdefault("constants", self.constants)
        rest.setdefault("formula", str(rest.get("body", "")).strip())
        entry = Function(name=name, label=label, group=self.group, **rest)  # type: ignore[arg-type]
        shelf = HIDDEN if name.startswith("_") else CATALOGUE
        if name in CATALOGUE or name in HIDDEN:
            raise ValueError(f"two functions are called {name}")
        shelf[name] = entry
        if entry.kernel:
            WHOLE[entry.kernel.name] = tuple(p.whole for p in entry.parameters if not p.text)
        return entry

    def function(self, name: str, label: str, **rest: object) -> Callable[[Kernel], Kernel]:
        """Register the kernel below as a function of the language."""

        def register(kernel: Kernel) -> Kernel:
            self.add(name, label, kernel=kernel, **rest)
            return kernel

        return register

    def step(
        self,
        name: str,
        *,
        inputs: int,
        outputs: tuple[Output, ...],
        parameters: tuple[Parameter, ...] = (),
        truths: tuple[int, ...] = (),
    ) -> None:
        """Register a kernel as a hidden step for bodies; ``truths`` are the places of inputs that are
        yes or no."""
        kinds = [Kind.TRUTH if i in truths else Kind.NUMBER for i in range(inputs)]
        self.add(
            "_" + name,
            name,
            kernel=KERNELS[name],
            inputs=tuple(Input(name=f"x{i}", kind=kind) for i, kind in enumerate(kinds)),
            parameters=parameters,
            outputs=outputs,
            meaning="",
            reading="",
            pitfalls="",
            formula="",
            source="",
        )


X = Input(name="x")
OF_CLOSE = Input(name="x", default="close")
EITHER = Input(name="x", kind=None)
TRUTH = Input(name="truth", kind=Kind.TRUTH)
SAME = Output(unit="x")
YES_NO = Output(kind=Kind.TRUTH)


def length(name: str = "n", default: int | None = None, low: int = 1) -> Parameter:
    """A number of bars to look back over."""
    return Parameter(name=name, low=low, high=10_000, default=default, whole=True)


def factor(name: str, default: float, low: float = 0.01, high: float = 100) -> Parameter:
    """A number to multiply with."""
    return Parameter(name=name, low=low, high=high, default=default)
