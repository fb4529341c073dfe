"""What a program picture is made of: where it comes from, what lies over it, and how one goes over into the next."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.picture.wipes import Ease as Easing
from ribalta.core.show.document.part import Colour, Finite, Name, Part, Share, StoredName

INSETS, TITLES = 4, 3  # how many at once
TEMPLATE = r"^[A-Za-z0-9][A-Za-z0-9 _-]{0,80}(\.(jpg|jpeg|png|svg))?$"  # Ribalta's own, or kept with the show
SLOTS = ("inset1", "inset2", "inset3", "inset4", "key", "title1", "title2", "title3")  # from the lowest to the topmost


class TransitionKind(StrEnum):
    """How one picture becomes the next."""

    CUT = "cut"
    MIX = "mix"
    DIP = "dip"
    WIPE = "wipe"


class WipeShape(StrEnum):
    """What grows into the picture: from one side, from a corner, from the middle line, from the middle, or round."""

    ACROSS = "across"
    DOWN = "down"
    SLANT = "slant"
    DOORS = "doors"
    CURTAIN = "curtain"
    BOX = "box"
    CIRCLE = "circle"
    DIAMOND = "diamond"
    CLOCK = "clock"
    BLINDS = "blinds"


class Transition(Part):
    """How a take goes from one picture to the next. A cut has no length; `backwards` turns a wipe's direction."""

    kind: TransitionKind = TransitionKind.MIX
    seconds: Annotated[float, Field(ge=0.01, le=10, allow_inf_nan=False)] = 0.8
    easing: Easing = Easing.EVEN
    colour: Colour = "#000000"
    shape: WipeShape = WipeShape.ACROSS
    softness: Share = 0.1
    backwards: bool = False

    @property
    def length_s(self) -> float:
        """0 for a cut."""
        return 0.0 if self.kind is TransitionKind.CUT else self.seconds

    @property
    def words(self) -> str:
        """What it does, for the desk."""
        if self.kind is TransitionKind.CUT:
            return "Cut"
        seconds = f"{self.seconds:.1f} s"
        if self.kind is TransitionKind.DIP:
            return f"Dip through {'black' if self.colour == '#000000' else self.colour}, {seconds}"
        if self.kind is TransitionKind.WIPE:
            return f"Wipe {self.shape}{', backwards' if self.backwards else ''}, {seconds}"
        return f"Mix, {seconds}"


CUT = Transition(kind=TransitionKind.CUT)


class Source(Part):
    """One picture: a camera, perhaps at a framing, or a medium of media."""

    camera_id: str | None = None
    framing_id: str | None = None
    medium_id: str | None = None

    @model_validator(mode="after")
    def _one(self) -> "Source":
        if self.camera_id is not None and self.medium_id is not None:
            raise ValueError("a picture comes from a camera or from the media, not from both")
        return self


class Inset(Part):
    """A picture in the picture. `left`, `top` and `wide` are shares of the frame; it keeps what is left of 16:9.

    `crop` is what is cut off left, top, right and below, in shares of its own picture; `border` a share of the frame's
    width; `corner` how round it is, a share of its shorter side, up to 0.5.
    """

    slot: Annotated[int, Field(ge=1, le=INSETS)] = 1
    source: Source = Source()
    left: Annotated[float, Field(ge=-1, le=1)] = 0.7
    top: Annotated[float, Field(ge=-1, le=1)] = 0.66
    wide: Annotated[float, Field(ge=0.05, le=1)] = 0.26
    crop: tuple[Share, Share, Share, Share] = (0.0, 0.0, 0.0, 0.0)
    border: Annotated[float, Field(ge=0, le=0.05)] = 0.003
    border_colour: Colour = "#f1e8da"
    corner: Annotated[float, Field(ge=0, le=0.5)] = 0.0

    @model_validator(mode="after")
    def _something_left(self) -> "Inset":
        left, top, right, bottom = self.crop
        if left + right > 0.9 or top + bottom > 0.9:
            raise ValueError("at least a tenth of an inset's picture has to be left by its crop")
        return self

    @property
    def tall(self) -> float:
        """A share of the frame's height."""
        left, top, right, bottom = self.crop
        return self.wide * (1 - top - bottom) / (1 - left - right)


class KeyKind(StrEnum):
    """By how bright a picture is (made sharper between two levels), or as it is, with a fill that fits it."""

    LUMINANCE = "luminance"
    LINEAR = "linear"


class Key(Part):
    """A picture that is laid over where another one, the key, is bright. Without a key of its own it keys itself."""

    kind: KeyKind = KeyKind.LUMINANCE
    fill: Source = Source()
    key: Source | None = None
    low: Share = 0.1
    high: Share = 0.3
    inverted: bool = False


class Scene(Part):
    """A composed picture. `number` is its place in the row of scenes, from 1; `title_ids` are of layers 1 to 3."""

    id: str
    number: Annotated[int, Field(ge=1, le=99)]
    name: Name
    base: Source = Source()
    insets: tuple[Inset, ...] = ()
    key: Key | None = None
    title_ids: tuple[str | None, str | None, str | None] = (None, None, None)
    transition: Transition | None = None
    open_mics: tuple[str, ...] | None = None
    picture: StoredName | None = None

    @model_validator(mode="after")
    def _one_each(self) -> "Scene":
        slots = [inset.slot for inset in self.insets]
        if len(set(slots)) != len(slots):
            raise ValueError("two insets are on the same place")
        return self

    @property
    def sources(self) -> tuple[Source, ...]:
        """All pictures in it, the base first."""
        key = () if self.key is None else (self.key.fill, *(() if self.key.key is None else (self.key.key,)))
        return (self.base, *(inset.source for inset in self.insets), *key)


class Medium(Part):
    """A medium: a still, a clip, a deck of slides, or one colour.

    `files` are names of what is kept in the show (a still has one, a deck one for each slide, a clip one picture
    by which it is known); `path` is where a clip lies on this machine, and `heard` whether its sound goes into the
    mix while it is on air.
    """

    id: str
    name: Name
    kind: Annotated[str, Field(pattern="^(still|clip|deck|colour)$")] = "still"
    files: Annotated[tuple[StoredName, ...], Field(max_length=1000)] = ()
    path: Annotated[str, Field(max_length=4000)] = ""
    heard: bool = True
    colour: Colour = "#000000"


class Title(Part):
    """A drawing with words in it, in one of three layers. `template` is its name; see `document/templates`.

    `changed_at_s` is when a field was changed last, in seconds since 1970. `rows` are fields to go through one after
    another; `row` is the one that is shown, from 0.
    """

    id: str
    name: Name
    template: Annotated[str, Field(pattern=TEMPLATE)]
    layer: Annotated[int, Field(ge=1, le=TITLES)] = 1
    fields: tuple[tuple[str, Annotated[str, Field(max_length=400)]], ...] = ()
    rows: Annotated[tuple[tuple[tuple[str, str], ...], ...], Field(max_length=5000)] = ()
    row: Annotated[int, Field(ge=0)] = 0
    moves: Annotated[str, Field(pattern="^(cut|fade|rise|slide)$")] = "fade"
    seconds: Annotated[float, Field(ge=0.01, le=4, allow_inf_nan=False)] = 0.4
    counts_to_s: Finite | None = None
    changed_at_s: Finite | None = None

    @property
    def values(self) -> dict[str, str]:
        """Its texts by the names of its fields."""
        return dict(self.fields)
