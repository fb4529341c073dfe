"""What a plan looks like when it is composed: the right picture in the right place at the right time."""

import numpy as np
import pytest

from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.picture.scaling import scaled
from ribalta.core.ports.shots import NO_OVERLAYS, FadeToBlack, OverlayFade, Shot, TransitionState
from ribalta.core.show.document.scenes import Inset, Key, KeyKind, Source, Title, Transition, TransitionKind, WipeShape
from ribalta.media.program.composer import CARD, Composer, ProgramPlan
from tests.pictures import furthest, grey, level, painted

WIDE, TALL = 320, 180
INSET = Inset(slot=1, source=Source(camera_id="c"), left=0.5, top=0.5, wide=0.25, border=0)


class Greys:
    """Cameras and media of one grey each; titles are white bars: "t1" along the foot, others along the top."""

    def __init__(self) -> None:
        self.levels = {"a": 40, "b": 200, "c": 120, "still": 90}

    def full(self, source: Source):
        level = self.levels.get(source.camera_id or source.medium_id or "")
        return None if level is None else grey(level, WIDE, TALL)

    def at_least(self, source: Source, width: int):
        return self.full(source)

    def drawing(self, name: str, size: tuple[int, int]):
        whole = np.zeros((size[1], size[0], 4), np.uint8)
        if name == CARD:
            whole[:] = 77
            whole[..., 3] = 255
        elif name == "t1":
            whole[-20:] = 255
        else:
            whole[:20] = 255
        return Drawing.of(whole)


def composed(plan: ProgramPlan, now_s: float = 10.0, clean: bool = False) -> Picture:
    out, without = Picture.plain(WIDE, TALL), Picture.plain(WIDE, TALL)
    Composer(WIDE, TALL).program(plan, Greys(), now_s, out, without if clean else None)
    return without if clean else out


def changing(before=NO_OVERLAYS, after=NO_OVERLAYS, **how) -> ProgramPlan:
    transition = Transition(seconds=1.0, **how)
    change = TransitionState(Shot("a"), Shot("b"), before, after, transition, 10.0, 10.0)
    return ProgramPlan(Shot("b"), after, change)


def test_cut_mix_dip_and_wipe_show_what_they_say():
    assert level(composed(ProgramPlan(Shot("a"))), 160, 90) == 40
    assert level(composed(changing(), 10.5), 160, 90) == pytest.approx(120, abs=1)
    dip = changing(kind=TransitionKind.DIP, colour="#ffffff")
    assert [level(composed(dip, t), 160, 90) for t in (10.0, 10.5, 11.0)] == [40, 255, 200]
    wipe = changing(kind=TransitionKind.WIPE, shape=WipeShape.ACROSS, softness=0)
    picture = composed(wipe, 10.5)
    assert (level(picture, 20, 90), level(picture, 300, 90)) == (200, 40)


@pytest.mark.parametrize("how", [{}, {"kind": TransitionKind.DIP, "colour": "#c02040"}, {"kind": TransitionKind.WIPE}])
def test_sources_smaller_than_the_frame_look_as_if_each_were_made_larger_first(how):
    class Small(Greys):
        def full(self, source: Source):
            chance = np.random.default_rng(3 if source.camera_id == "a" else 4)
            return painted(chance.integers(0, 256, (TALL // 2, WIDE // 2, 3), np.uint8))

    class Large(Small):
        def full(self, source: Source):
            return scaled(super().full(source), (WIDE, TALL))

    for share in (0.0, 0.3, 0.5, 0.8, 1.0):
        found = []
        for feeds in (Small(), Large()):
            out = Picture.plain(WIDE, TALL)
            Composer(WIDE, TALL).program(changing(**how), feeds, 10.0 + share, out)
            found.append(out)
        assert furthest(*found) <= 2


def test_a_shot_without_a_picture_is_black_and_media_are_shots_too():
    assert level(composed(ProgramPlan(Shot("gone"))), 160, 90) == 0
    assert level(composed(ProgramPlan(Shot("", None, "still"))), 160, 90) == 90


def test_an_inset_of_one_side_comes_with_its_side_and_one_of_both_stays_over_all():
    dress = NO_OVERLAYS.with_("inset1", INSET)
    own = changing(after=dress)
    assert [level(composed(own, t), 200, 100) for t in (10.0, 10.5, 11.0)] == [40, pytest.approx(80, abs=1), 120]
    both = changing(dress, dress)
    assert [level(composed(both, t), 200, 100) for t in (10.0, 10.5, 11.0)] == [120, 120, 120]
    assert level(composed(both, 10.5), 10, 10) == 120  # while below it the mix goes on


def test_titles_fade_with_a_take_or_by_themselves_and_clean_has_none():
    dress = NO_OVERLAYS.with_("title1", "t1")
    assert [level(composed(changing(after=dress), t), 5, -5) for t in (10.0, 11.0)] == [40, 255]
    title = Title(id="t1", name="Name", template="bar", moves="rise")
    fading = ProgramPlan(Shot("a"), dress, fading={"title1": OverlayFade("t1", True, 10.0, 0.4)}, titles={"t1": title})
    assert level(composed(fading, 10.0), 5, -5) == 40
    assert 40 < level(composed(fading, 10.3), 5, -2) < 255
    assert level(composed(fading, 10.5), 5, -5) == 255
    assert level(composed(ProgramPlan(Shot("a"), dress), clean=True), 5, -5) == 40
    going = ProgramPlan(Shot("a"), NO_OVERLAYS, fading={"title1": OverlayFade("t1", False, 10.0, 0.4)})
    assert level(composed(going, 10.2), 5, -5) == pytest.approx(148, abs=3)


def test_an_inset_that_comes_by_itself_fades_in():
    dress = NO_OVERLAYS.with_("inset1", INSET)
    plan = ProgramPlan(Shot("a"), dress, fading={"inset1": OverlayFade(INSET, True, 10.0, 0.4)})
    assert [level(composed(plan, t), 200, 100) for t in (10.0, 10.2, 10.4)] == [40, pytest.approx(80, abs=1), 120]


def test_a_key_is_laid_where_it_is_bright():
    key = Key(fill=Source(camera_id="b"), key=Source(camera_id="c"), kind=KeyKind.LINEAR)
    assert level(composed(ProgramPlan(Shot("a"), NO_OVERLAYS.with_("key", key))), 160, 90) == pytest.approx(
        40 + 160 * 120 / 255, abs=3
    )


def test_black_and_card_hide_everything():
    dress = NO_OVERLAYS.with_("title1", "t1")
    dark = ProgramPlan(Shot("b"), dress, black=FadeToBlack(True, 10.0, 0.4))
    assert [level(composed(dark, t), 160, 90) for t in (10.0, 10.2, 10.4)] == [200, 100, 0]
    assert {int(plane.max()) for plane in composed(dark, 10.4).planes} == {16, 128}
    assert level(composed(ProgramPlan(Shot("b"), dress, card=True)), 5, -5) == 77


def test_next_shows_what_the_take_will_bring():
    dress = NO_OVERLAYS.with_("inset1", INSET).with_("title1", "t1")
    out = Picture.plain(WIDE, TALL)
    Composer(WIDE, TALL).still(Shot("b"), dress, Greys(), out)
    assert [level(out, x, y) for y, x in ((20, 20), (100, 200), (175, 20))] == [200, 120, 255]


class Kept(Greys):
    """The same, but each picture and drawing is made once, as the bin does it."""

    def __init__(self) -> None:
        super().__init__()
        self._made: dict[object, object] = {}

    def full(self, source: Source):
        key = (source.camera_id, source.medium_id)
        return self._made.setdefault(key, super().full(source))

    def drawing(self, name: str, size: tuple[int, int]):
        if name == "soft":
            whole = np.zeros((size[1], size[0], 4), np.uint8)
            whole[40:140] = 100  # white, two fifths of it
            return self._made.setdefault(name, Drawing.of(whole))
        return self._made.setdefault(name, super().drawing(name, size))


def test_a_key_and_titles_at_rest_look_as_one_as_they_do_one_by_one():
    composer, feeds = Composer(WIDE, TALL), Kept()
    half = np.zeros((TALL, WIDE, 4), np.uint8)
    half[:, : WIDE // 2] = 180
    feeds._made[(None, "still")] = painted(half)
    key = Key(fill=Source(medium_id="still"), kind=KeyKind.LINEAR)
    dress = NO_OVERLAYS.with_("inset1", INSET).with_("key", key).with_("title1", "t1").with_("title2", "soft")

    def frame(plan: ProgramPlan, now_s: float = 10.0) -> Picture:
        out = Picture.plain(WIDE, TALL)
        assert composer.program(plan, feeds, now_s, out)
        return out

    still = ProgramPlan(Shot("a"), dress)
    first = frame(still)
    frames = [frame(still) for _ in range(30)]
    assert len(composer._top._flat) == 1
    assert furthest(frames[-1], first) <= 2
    mixed = frame(changing(dress, dress), 10.5)
    alone = Picture.plain(WIDE, TALL)
    Composer(WIDE, TALL).program(changing(dress, dress), feeds, 10.5, alone)
    assert furthest(mixed, alone) <= 2
    going = frame(ProgramPlan(Shot("a"), dress.with_("title2", None)))
    assert abs(level(going, 250, 90) - 40) < 2
    assert level(going, 250, -5) == 255


def test_a_frame_that_is_not_wanted_any_more_is_given_up():
    out = Picture.plain(WIDE, TALL)
    titled = ProgramPlan(Shot("a"), NO_OVERLAYS.with_("title1", "t1"))
    assert not Composer(WIDE, TALL).program(titled, Greys(), 10.0, out, given_up=lambda: True)
    assert level(out, 5, -5) == 40
