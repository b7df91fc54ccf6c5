"""What a model is: one interchangeable method for a stage, with its parameters."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum, StrEnum

from crispgrain.arrays import Array
from crispgrain.geometry import Place, Rect, Size

from .files.source import RawSource, Source
from .frame import Frame
from .meter.reading import Noise, Reading


class Stage(StrEnum):
    """The steps of a treatment, always in this order."""

    DEVELOP = "develop"
    DENOISE = "denoise"
    SHARPEN = "sharpen"
    ENLARGE = "enlarge"
    FINISH = "finish"
    PRINT = "print"

    @property
    def label(self) -> str:
        return self.value.capitalize()

    @property
    def switchable(self) -> bool:
        """Whether it can be off: Develop and Print are part of every result."""
        return self not in (Stage.DEVELOP, Stage.PRINT)


Value = float | str
Values = Mapping[str, Value]


@dataclass(frozen=True)
class Parameter:
    """A setting of a model: a number within a range, one of several choices, or text.

    ``check`` is for text: it raises ValueError if the text will not do. ``files`` are the endings of those that a text
    may name.
    ``metered`` gives the value that follows from a shot's reading; without it
    the metered value is ``default``.
    ``labels`` are the choices as a person reads them.
    ``product`` is what stands for a text that is left empty: found in the whole shot.
    ``per_shot`` marks what was drawn or found on one shot and means nothing on another.
    ``resizes`` marks what changes the result's size: the model's draft answers while such a one is being chosen.
    ``curve`` marks a text that holds the points of a curve of tones, ``colour`` one that is a colour.
    ``matters`` says whether the setting has an effect, given the values of the others.
    """

    id: str
    name: str
    help: str
    default: Value
    minimum: float = 0.0
    maximum: float = 100.0
    step: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    metered: Callable[[Reading], float] | None = None
    check: Callable[[str], object] | None = None
    labels: tuple[str, ...] = ()
    per_shot: bool = False
    product: Product | None = None
    resizes: bool = False
    files: tuple[str, ...] = ()
    curve: bool = False
    colour: bool = False
    matters: Callable[[Values], bool] = lambda values: True

    @property
    def is_number(self) -> bool:
        return not self.choices and self.check is None

    def label(self, choice: str) -> str:
        """A choice as a person reads it."""
        return self.labels[self.choices.index(choice)] if self.labels else choice.replace("-", " ")

    def metered_value(self, reading: Reading) -> Value:
        if self.metered is None:
            return self.default
        return min(max(self.metered(reading), self.minimum), self.maximum)


class Shape(Enum):
    """What is drawn with a tool."""

    NOTHING = "nothing"
    LINE = "line"
    RECTANGLE = "rectangle"
    PATH = "path"  # drawn freely; a click is one point


@dataclass(frozen=True)
class Drawn:
    """What was drawn on a shot, and what is known of it there.

    ``points`` are x and y in px of the source (for a crop, of the source as its lens should have drawn it): both ends
    of a line, or the four corners of a rectangle, clockwise from its upper left as it was seen. ``values`` are those of
    the operation, ``around`` those of its stage everywhere, for a zone.
    """

    points: tuple[tuple[float, float], ...]
    source: Source
    reading: Reading
    values: Values
    around: Values = field(default_factory=dict)


@dataclass(frozen=True)
class Tool:
    """A way to tell a model something on the picture itself.

    ``label`` is on its button, ``hint`` says in one line how to use it, ``done`` what was done, for undo.
    ``settings`` makes values of what was drawn, perhaps with words on them; it raises ToolError, in words, if that will
    not do.
    ``slow`` tools are worked out off the window's thread.
    ``again`` asks for the next stroke at once, and ``across`` names the setting, in percent of the source's longer
    side, that says how wide it is.
    ``held`` says what width to height a rectangle of some sides is held to while it is drawn, if to any, given the
    values and the size of the source.
    ``live`` makes of a small developed picture, 8-bit sRGB, what is seen of it under some values, to show meanwhile.
    """

    label: str
    hint: str
    done: str
    shape: Shape
    settings: Callable[[Drawn], Values | tuple[Values, str]]
    slow: bool = False
    again: bool = False
    across: str = ""
    held: Callable[[Values, Size, float, float], float | None] = lambda values, size, width, height: None
    live: Callable[[Array, Values], Array] | None = None


class ToolError(ValueError):
    """What was drawn will not do; says why."""


class Role(Enum):
    """What a model may be in a treatment: a stage's method everywhere, that of a zone, its shape, a cut, retouching."""

    EVERYWHERE = "everywhere"
    ZONE = "zone"
    SHAPE = "shape"
    CUT = "cut"
    RETOUCH = "retouch"


class Domain(Enum):
    """The pixels a model takes: the sensor's mosaic, or a picture in the working space."""

    MOSAIC = "mosaic"
    PICTURE = "picture"


@dataclass(frozen=True)
class Product:
    """Something worked out once from a whole shot, whatever tiles are asked for, and kept as long as the file is.

    ``uses`` are the settings it depends on beside the source and its reading. Another ``version`` is begun anew.
    """

    id: str
    version: int
    uses: tuple[str, ...]
    compute: Callable[[Source, Reading, Values], Array]


@dataclass(frozen=True)
class Context:
    """What a step knows besides its pixels and settings.

    ``before`` and ``after`` are the frames of its whole input and output. ``rect`` is where the given pixels lie in
    the input; ``wanted`` is the part of the output that is asked for. Only Enlarge has an output of another size.
    ``products`` finds what was worked out from the whole shot before.
    """

    reading: Reading
    source: Source
    before: Frame
    after: Frame
    rect: Rect
    wanted: Rect
    products: Callable[[Product, Values], Array] | None = None
    mask: Array | None = None  # where the step shows, in ``rect`` (of Enlarge: in ``wanted``), for a model that sees it

    def product(self, product: Product, values: Values) -> Array:
        """Something of the whole shot under some settings; computed if it was not yet."""
        if self.products is not None:
            return self.products(product, values)
        return product.compute(self.source, self.reading, values)

    @property
    def place(self) -> Place:
        """Where the given pixels lie."""
        return Place(self.rect, self.before.size)

    @property
    def noise(self) -> Noise:
        """Of the pixels given, by tone; as if nothing of it had been taken off yet."""
        return self.before.noise


@dataclass(frozen=True)
class Model:
    """An interchangeable method for a stage.

    A Denoise model on the mosaic may return it demosaiced (H x W x 3), and says so in the frame ``after`` it.
    ``after`` is what becomes of a frame under some values, but for its size.
    ``takes_raw`` and ``takes_pictures`` say what kinds of shots it is for.
    ``tolerance`` is by how much a pixel may differ between tilings; 0 is to the last bit.
    ``unavailable`` says why the model cannot be used here, if so.
    ``tile`` is the least edge of a tile in output pixels: where less is not worth the margin. With ``same_tiles`` it
    is the edge in views and files alike, for the pixels of other tiles would differ.
    ``grid``: what ``run`` is given begins and ends on multiples of so many px, which divides 32: whole sensor cells and
    bands of blocks, or a network's deepest cells.
    ``suits`` says whether a shot of this reading gets the model if none is chosen.
    ``roles`` are what it may be in a treatment, as far as its domain and stage allow.
    ``does`` are other stages whose work it does, too: they are off then, unless someone wants them on.
    ``summary`` is what the rail says of it, given its values and the size of the result.
    ``strength`` is the id of the parameter that says how much is done, tried weaker and stronger in a test strip.
    ``tools`` draw on the picture.
    ``others`` are further settings worth a look in a test strip, for a shot, with a label each.
    ``sees_mask``: most models don't, and their output is blended with what there was; one that fills holes must.
    ``all_round`` models are for pictures whose left and right edges meet.
    ``bayer_only`` models know no sensors but those whose colours repeat every 2 x 2 pixels.
    ``draft`` is the id of a model of the same stage that gives a quick idea of this one.
    ``on_reduced`` gives the values for a shot some times smaller.
    ``warning`` says why the model is the wrong choice for a shot of this reading, if so.
    ``margin`` is how far an input pixel can be from an output pixel it changes.
    ``run`` takes pixels (H x W for a mosaic, H x W x 3 for a picture), the values
    of the parameters and the context. It returns the same size, of which the
    outer ``margin`` pixels may be wrong where they are not the picture's edge;
    Enlarge returns just the wanted part.
    """

    stage: Stage
    id: str
    name: str
    purpose: str
    parameters: tuple[Parameter, ...]
    run: Callable[[Array, Values, Context], Array]
    margin: Callable[[Values, Context], int] = lambda values, context: 0
    domain: Domain = Domain.PICTURE
    unavailable: Callable[[], str] = lambda: ""
    tolerance: float = 0.0
    after: Callable[[Frame, Values], Frame] = lambda frame, values: frame
    tile: Callable[[Values], int] = lambda values: 0
    same_tiles: bool = False
    grid: int = 32
    suits: Callable[[Reading], bool] = lambda reading: True
    warning: Callable[[Reading], str] = lambda reading: ""
    draft: str = ""
    on_reduced: Callable[[Values, Context, int], Values] | None = None
    takes_raw: bool = True
    takes_pictures: bool = True
    does: tuple[Stage, ...] = ()
    roles: tuple[Role, ...] = (Role.EVERYWHERE, Role.ZONE)
    summary: Callable[[Model, Values, Size], str] = lambda model, values, size: model.name
    strength: str = ""
    tools: tuple[Tool, ...] = ()
    others: Callable[[Source], list[tuple[str, Values]]] = lambda source: []
    sees_mask: bool = False
    all_round: bool = False
    bayer_only: bool = False

    def may_be(self, role: Role) -> bool:
        """Whether it can have a role: there are no zones of a mosaic, nor of a size."""
        zoned = self.domain is Domain.PICTURE and self.stage not in (Stage.ENLARGE, Stage.PRINT)
        return role in self.roles and (role is not Role.ZONE or zoned)

    def fits(self, source: Source) -> bool:
        """Whether the model can be used on a shot: not on a mosaic's terms where there is none, for instance."""
        if isinstance(source, RawSource):
            return self.takes_raw and not self.all_round and (source.bayer or not self.bayer_only)
        return self.takes_pictures and self.domain is Domain.PICTURE and (source.wraps or not self.all_round)
