"""Asking for somebody: the ranking against a plain count, the reasons, the next best, and what is kept for whom."""

from ribalta.core.engine.program.choosing import choices, mark_numbered
from ribalta.core.engine.program.landing import time_to_set_s
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Mark
from tests.core.hand_wound import Hall, small_show

MARKS = (Mark(id="m1", name="Ines", x_m=0, y_m=5), Mark(id="m2", name="Bram", x_m=2, y_m=5))
RATED = {"f3": ("m1", 90), "f4": ("m2", 80), "f6": ("m1", 70), "f7": ("m1", 95), "f9": ("m1", 60), "f10": ("m2", 85)}


def hall() -> Hall:
    show = small_show()
    framings = tuple(
        f.model_copy(update={"mark_id": RATED[f.id][0], "rating": RATED[f.id][1]}) if f.id in RATED else f
        for f in show.framings
    )
    made = Hall(show.model_copy(update={"framings": framings, "marks": MARKS}))
    made.turn(1)
    return made


def test_the_ranking_is_fit_less_what_speaks_against_it():
    h = hall()
    now_s = h.clock.now_s()
    found = choices(h.state, "m1", now_s)
    plain = {}
    for framing_id, (mark_id, rating) in RATED.items():
        if mark_id == "m1":
            framing = h.state.show.framing(framing_id)
            seconds = time_to_set_s(h.state, Shot(framing.camera_id, framing_id), now_s)
            plain[framing_id] = rating - round(min(40, 5 * seconds))
    assert {c.framing.id: c.score for c in found} == plain
    assert [c.score for c in found] == sorted(plain.values(), reverse=True)
    assert found[0].words.endswith(f", by your own rating, {found[0].seconds:.1f} s away")
    assert not any(sign in found[0].words for sign in "+-:")


def test_one_press_readies_the_best_another_the_next_best_and_a_take_begins_anew():
    h = hall()
    order = [c.framing.id for c in choices(h.state, "m1", h.clock.now_s())]
    h.press("Num+1")
    assert h.state.program.next.framing_id == order[0]
    h.press("Num+1")
    second = h.state.program.next.framing_id
    assert second != order[0]
    h.press("Num+0")
    assert h.state.program.next.framing_id not in (order[0], second)
    h.press("Num+1")
    h.turn(4)
    h.press("Space")
    h.press("Num+2")
    assert h.state.automation.asked.place == 0
    assert h.state.show.framing(h.state.program.next.framing_id).mark_id == "m2"
    h.act("mark.see", number=7)
    assert h.sentences[-1] == "There is no mark 7 on the floor plan. There are 2."


def test_what_is_on_air_reserved_lost_or_would_jump_comes_later_and_says_so():
    h = hall()
    h.act("camera.reserve", camera=2, number=2)
    h.contact("c3", False)
    h.act("ready.framing", camera=1, letter="Q")
    h.turn(3)
    h.act("take")
    found = {c.framing.id: c for c in choices(h.state, "m1", h.clock.now_s())}
    assert ("on air", -60) in found["f3"].reasons
    assert ("reserved for Bram", -50) in found["f7"].reasons
    assert ("would jump against what is on air", -30) in found["f7"].reasons  # the same person, no size is known
    assert "reserved for Bram, would jump against what is on air" in found["f7"].words
    assert not found["f9"].possible
    h.act("camera.reserve", camera=2)
    h.press("Num+1")
    assert h.state.program.next.camera_id == "c2"
    h.contact("c2", False)
    h.press("Num+1")
    assert "No camera that is off air and answers has a framing of Ines." in h.sentences[-1]
    assert mark_numbered(h.state, 0) is None


def test_a_view_from_across_the_line_between_two_people_comes_later_and_says_so():
    h = hall()
    places = {"c1": (-3.0, -4.0), "c2": (3.0, -4.0), "c3": (1.0, 12.0)}
    cameras = tuple(
        c.model_copy(update={"place": c.place.model_copy(update={"x_m": places[c.id][0], "y_m": places[c.id][1]})})
        if c.id in places
        else c
        for c in h.state.show.cameras
    )
    h = Hall(h.state.show.model_copy(update={"cameras": cameras}))
    h.turn(1)
    h.act("ready.framing", camera=1, letter="W")  # Bram, from this side
    h.turn(3)
    h.act("take")
    found = {c.framing.id: c for c in choices(h.state, "m1", h.clock.now_s())}
    assert ("crosses the line", -25) in found["f9"].reasons
    assert "crosses the line" in found["f9"].words
    assert "crosses the line" not in found["f6"].words
