"""Composing one picture from what a plan says: base, transition, insets, key, titles, black and card.

The same code makes program at full size and the picture of Next at the size that the desk shows.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ribalta.core.picture.colours import ink
from ribalta.core.picture.layering import (
    Drawing,
    Frame,
    Insetter,
    Mask,
    Scratch,
    darken,
    draw,
    key_mask,
    lay_key,
)
from ribalta.core.picture.planes import BLACK, Picture
from ribalta.core.picture.scaling import WHOLE, scale, scaled
from ribalta.core.picture.wipes import eased
from ribalta.core.ports.shots import (
    NO_OVERLAYS,
    NOT_BLACK,
    FadeToBlack,
    Layer,
    OverlayFade,
    Overlays,
    Shot,
    TransitionState,
)
from ribalta.core.show.document.scenes import SLOTS, Inset, Key, KeyKind, Source, Title, Transition, TransitionKind
from ribalta.media.program.flattened import FlattenedOverlays
from ribalta.media.program.practice import stamp
from ribalta.media.program.transitions import Transitions, colour_of

PICTURES = SLOTS[:5]  # insets and key; titles are above all of them
TITLES = SLOTS[5:]
CARD = "card"
GROUND = ink(14, 17, 20)  # behind the card


@dataclass(frozen=True)
class ProgramPlan:
    """What goes out and what is next; see `core/engine/state/live.py` for each.

    `take` counts the takes up to this, `spare` is a camera that is kept sharp, `aux` what the auxiliary output shows.
    `practice`: every picture that leaves says so.
    """

    program: Shot | None = None
    overlays: Overlays = NO_OVERLAYS
    in_transition: TransitionState | None = None
    next: Shot | None = None
    next_overlays: Overlays = NO_OVERLAYS
    fading: Mapping[str, OverlayFade] = field(default_factory=dict)
    black: FadeToBlack = NOT_BLACK
    card: bool = False
    spare: str | None = None
    aux: str = "program"
    titles: Mapping[str, Title] = field(default_factory=dict)
    take: int = 0
    practice: bool = False

    @property
    def cameras(self) -> frozenset[str]:
        """Those whose full size is wanted."""
        spare = frozenset({self.spare}) if self.spare else frozenset()
        return self.on_air | spare | _cameras_of((self.next,), (self.next_overlays,))

    @property
    def on_air(self) -> frozenset[str]:
        """Cameras that are seen in full size in what goes out."""
        return _cameras_of((self.program, self.in_transition.before if self.in_transition else None), (self.overlays,))


def _cameras_of(shots: Iterable[Shot | None], dresses: Iterable[Overlays]) -> frozenset[str]:
    keys = [layer for dress in dresses for layer in dress.layers if isinstance(layer, Key)]
    keyed = [source.camera_id for key in keys for source in (key.fill, key.key) if source is not None]
    return frozenset(name for name in (*(shot.camera_id for shot in shots if shot is not None), *keyed) if name)


def never() -> bool:
    """Nobody gives this picture up."""
    return False


class Feeds(Protocol):
    """Where pictures come from. None of these waits."""

    def at_least(self, source: Source, width: int) -> Picture | None:
        """The newest picture, of at least that width if there is one."""
        ...

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """A title by its id, or the card, for a frame of (width, height)."""
        ...


class Composer:
    """For one size of frame. Not thread-safe: it has buffers of its own."""

    def __init__(self, width: int, height: int) -> None:
        self.width, self.height = width, height
        self._sides = [Picture.plain(width, height) for _ in range(2)]  # touched, so that they are really there
        self._scratch = Scratch(width, height)
        self._insetter = Insetter(self._scratch)
        self._between = Transitions(width, height, self._scratch)
        self._key_kept: tuple[Picture, Picture, Key, Drawing | None] | None = None
        self._top = FlattenedOverlays(width, height)

    def program(
        self,
        plan: ProgramPlan,
        feeds: Feeds,
        now_s: float,
        out: Picture,
        clean: Picture | None = None,
        given_up: Callable[[], bool] = never,
    ) -> bool:
        """What goes out, into `out`; without its titles into `clean`, if that is wanted.

        False when it was `given_up` on the way, because something else is wanted by now.
        """
        change = plan.in_transition
        top = self._top.of(self._resting(plan, feeds)) if clean is None else ()
        pictures = PICTURES[:-1] if top else PICTURES
        if change is not None:
            share = eased(change.progress_at(now_s), change.transition.easing)
            self._change(plan, change, share, pictures, feeds, now_s, out)
        else:
            share = 1.0
            self._side(plan.program, NO_OVERLAYS, (), feeds, out)
            self._layers(plan, plan.overlays, pictures, feeds, now_s, out)
        if given_up():
            return False
        if clean is not None:
            clean.take(out)
        for drawing in top:
            draw(out, drawing, self._scratch)
        if not top:
            self._titles(plan, share, feeds, now_s, out)
        if plan.card:
            self._card(feeds, out)
        dark = plan.black.darkness_at(now_s)
        if dark > 0:
            darken(out, dark)
        if plan.practice:
            stamp(out)
            if clean is not None:
                stamp(clean)
        return True

    def handed_on(self, plan: ProgramPlan, feeds: Feeds, now_s: float) -> Picture | None:
        """The picture of a camera itself, when nothing is done to it and it stays; it is not copied then."""
        if plan.program is None or plan.in_transition is not None or plan.fading or plan.card or plan.practice:
            return None
        if plan.black.darkness_at(now_s) > 0 or any(layer is not None for layer in plan.overlays.layers):
            return None
        picture = feeds.at_least(source_of(plan.program), self.width)
        fits = picture is not None and picture.size == (self.width, self.height)
        return picture if picture is not None and fits and not picture.lent else None

    def still(self, shot: Shot | None, dress: Overlays, feeds: Feeds, out: Picture) -> None:
        """A shot with what lies over it, as it looks when nothing is on its way: Next, or what is being made."""
        self._side(shot, dress, PICTURES, feeds, out)
        for slot in TITLES:
            self._title(dress.on(slot), feeds, 1.0, "fade", out)

    def _resting(self, plan: ProgramPlan, feeds: Feeds) -> tuple[Drawing, ...]:
        """The key and the titles, if all of them stay as they are; nothing when one moves."""
        change, slots = plan.in_transition, ("key", *TITLES)
        sides = (plan.overlays, plan.overlays) if change is None else (change.before_overlays, change.after_overlays)
        if any(slot in plan.fading or sides[0].on(slot) != sides[1].on(slot) for slot in slots):
            return ()
        found: list[Drawing | None] = []
        for slot in slots:
            layer = sides[1].on(slot)
            if isinstance(layer, Key):
                found.append(self._key_drawing(layer, feeds))
            elif isinstance(layer, str):
                found.append(feeds.drawing(layer, (self.width, self.height)))
        whole = tuple(drawing for drawing in found if drawing is not None)
        return whole if len(whole) == len(found) else ()

    # The base and what lies over it

    def _side(self, shot: Shot | None, dress: Overlays, slots: tuple[str, ...], feeds: Feeds, out: Picture) -> None:
        picture = None
        if shot is not None:
            picture = feeds.at_least(source_of(shot), self.width)
        fill(picture, out)
        for slot in slots:
            self._picture_layer(dress.on(slot), feeds, 1.0, out)

    def _picture_layer(self, layer: Layer | None, feeds: Feeds, opacity: float, out: Picture) -> None:
        if isinstance(layer, Inset):
            frame = self._frame(layer)
            picture = feeds.at_least(layer.source, int(frame.wide / max(0.1, 1 - layer.crop[0] - layer.crop[2])))
            if picture is not None:
                self._insetter.lay(out, picture, frame, opacity)
        elif isinstance(layer, Key):
            self._key(layer, feeds, opacity, out)

    def _key(self, layer: Key, feeds: Feeds, opacity: float, out: Picture) -> None:
        if lives(layer):
            fill, key = self._key_pictures(layer, feeds)
            if fill is not None and key is not None:
                lay_key(out, self._fitted(fill), self._key_mask(key, layer), self._scratch, opacity)
            return
        drawing = self._key_drawing(layer, feeds)
        if drawing is not None:
            draw(out, drawing, self._scratch, opacity)

    def _key_pictures(self, layer: Key, feeds: Feeds) -> tuple[Picture | None, Picture | None]:
        fill = feeds.at_least(layer.fill, self.width)
        return fill, fill if layer.key is None else feeds.at_least(layer.key, self.width)

    def _key_mask(self, key: Picture, layer: Key) -> Mask:
        return key_mask(self._fitted(key), layer.low, layer.high, layer.inverted, layer.kind is KeyKind.LINEAR)

    def _key_drawing(self, layer: Key, feeds: Feeds) -> Drawing | None:
        """A still is keyed once; None for what lives, and when nothing of it is seen."""
        if lives(layer):
            return None
        fill, key = self._key_pictures(layer, feeds)
        if fill is None or key is None:
            return None
        kept = self._key_kept
        if kept is None or kept[0] is not fill or kept[1] is not key or kept[2] != layer:
            drawn = Drawing.by(self._fitted(fill), self._key_mask(key, layer))
            kept = self._key_kept = (fill, key, layer, drawn)
        return kept[3]

    def _fitted(self, picture: Picture) -> Picture:
        if picture.size == (self.width, self.height):
            return picture
        return scaled(picture, (self.width, self.height))

    def _frame(self, inset: Inset) -> Frame:
        wide, tall = self.width, self.height
        return Frame.evenly(
            (inset.left * wide, inset.top * tall, inset.wide * wide, inset.tall * tall),
            inset.crop,
            inset.border * wide,
            colour_of(inset.border_colour),
            inset.corner,
        )

    def _layers(
        self, plan: ProgramPlan, dress: Overlays, slots: tuple[str, ...], feeds: Feeds, now_s: float, out: Picture
    ) -> None:
        """Insets and the key, with those that are just coming or going."""
        for slot in slots:
            fade = plan.fading.get(slot)
            if fade is None:
                self._picture_layer(dress.on(slot), feeds, 1.0, out)
            else:
                far = faded(fade, now_s)
                self._picture_layer(fade.layer, feeds, far if fade.comes else 1 - far, out)

    # Transitions

    def _change(
        self,
        plan: ProgramPlan,
        change: TransitionState,
        share: float,
        slots: tuple[str, ...],
        feeds: Feeds,
        now_s: float,
        out: Picture,
    ) -> None:
        """What both sides have in common at the top is laid once, over both."""
        before, after = change.before_overlays, change.after_overlays
        alike = next((k for k in range(len(slots)) if before.layers[k:5] == after.layers[k:5]), len(slots))
        own, common = slots[:alike], slots[alike:]
        one, other = (
            None if any(dress.on(slot) for slot in own) else feeds.at_least(source_of(shot), self.width)
            for shot, dress in ((change.before, before), (change.after, after))
        )
        if one is not None and other is not None and self._mixed_smaller(change.transition, one, other):
            fill(self._between.smaller(change.transition, one, other, share), out)
        else:
            one = self._side_of(one, change.before, before, own, feeds, self._sides[0])
            other = self._side_of(other, change.after, after, own, feeds, self._sides[1])
            self._between.lay(change.transition, one, other, share, out)
        self._layers(plan, after, common, feeds, now_s, out)

    def _mixed_smaller(self, transition: Transition, one: Picture, other: Picture) -> bool:
        """Two of one size, smaller than the frame, are mixed at that and made larger once; the edge of a wipe would not
        be as sharp as the frame."""
        alike = one.size == other.size and one.width < self.width
        return alike and transition.kind is not TransitionKind.WIPE

    def _side_of(
        self,
        picture: Picture | None,
        shot: Shot,
        dress: Overlays,
        slots: tuple[str, ...],
        feeds: Feeds,
        spare: Picture,
    ) -> Picture:
        """One side of a transition; its `picture`, with nothing over it, is used as it is if it fits."""
        if picture is not None and picture.size == spare.size:
            return picture
        self._side(shot, dress, slots, feeds, spare)
        return spare

    # Titles, card and black

    def _titles(self, plan: ProgramPlan, share: float, feeds: Feeds, now_s: float, out: Picture) -> None:
        change = plan.in_transition
        for slot in TITLES:
            fade = plan.fading.get(slot)
            if fade is not None:
                title = plan.titles.get(fade.layer) if isinstance(fade.layer, str) else None
                moves, far = title.moves if title is not None else "fade", faded(fade, now_s)
                self._title(fade.layer, feeds, far if fade.comes else 1 - far, moves, out)
                continue
            if change is None:
                self._title(plan.overlays.on(slot), feeds, 1.0, "fade", out)
                continue
            before, after = change.before_overlays.on(slot), change.after_overlays.on(slot)
            if before == after:
                self._title(after, feeds, 1.0, "fade", out)
            else:
                self._title(before, feeds, 1 - share, "fade", out)
                self._title(after, feeds, share, "fade", out)

    def _title(self, layer: Layer | None, feeds: Feeds, shown: float, moves: str, out: Picture) -> None:
        """`shown` 0 to 1: how far it has come in."""
        if not isinstance(layer, str) or shown <= 0:
            return
        drawing = feeds.drawing(layer, (self.width, self.height))
        if drawing is None:
            return
        wide, tall = drawing.picture.size
        soft = eased(shown, "soft end")
        down = round((1 - soft) * min(tall, self.height / 8)) if moves == "rise" else 0
        right = -round((1 - soft) * min(wide, self.width / 8)) if moves == "slide" else 0
        draw(out, drawing, self._scratch, shown, right, down)

    def _card(self, feeds: Feeds, out: Picture) -> None:
        drawing = feeds.drawing(CARD, (self.width, self.height))
        out.fill(GROUND)
        if drawing is not None:
            draw(out, drawing, self._scratch)


def lives(key: Key) -> bool:
    """Does one of its pictures come from a camera?"""
    return key.fill.medium_id is None or (key.key is not None and key.key.medium_id is None)


def source_of(shot: Shot) -> Source:
    """The base of a shot."""
    if shot.medium_id is not None:
        return Source(medium_id=shot.medium_id)
    return Source(camera_id=shot.camera_id, framing_id=shot.framing_id)


def faded(fade: OverlayFade, now_s: float) -> float:
    """How far it has gone, 0 to 1."""
    return min(1.0, max(0.0, (now_s - fade.started_s) / max(0.001, fade.lasts_s)))


def fill(picture: Picture | None, out: Picture) -> None:
    """The picture at full size into `out`; without one, `out` goes dark."""
    if picture is None:
        out.fill(BLACK)
    else:
        scale(picture, WHOLE, out)
