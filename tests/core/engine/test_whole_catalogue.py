"""Every action there is, in any order, with anything that its arguments may be: a refusal is a sentence, an edit can be
undone, the show stays one that can be stored, and the journal leads to the same state again."""

import functools
import random
import re
from dataclasses import fields
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.base.validation import field_words
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.loop import Engine, Entry
from ribalta.core.engine.program.landing import landing_state, parts, progress, time_to_set_s
from ribalta.core.engine.views import playlist_outlook
from ribalta.core.ports.messages import REPORT_KINDS, GlideTo, GoTo, Notice, Position, Report, Severity, ShowEdited
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.depth import examples

OPENING = all_there(load(SHIPPED).show)
HISTORY = ("edit.undo", "edit.redo")
IN_THE_SHOW = (  # edits that belong to directing
    *("title.row", "title.count", "macro.record", "landing.rule", "landing.next_rule", "live_move.seconds"),
)
PLURALS = (
    *(("camera", "cameras"), ("framing", "framings"), ("scene", "scenes"), ("microphone", "microphones")),
    *(("title", "titles"), ("medium", "media"), ("macro", "macros"), ("trigger", "triggers"), ("page", "pages")),
    *(("destination", "destinations"), ("playlist", "playlists")),
)
WORDS = ("", "Hands", "Ada at the wheel", "Z" * 300, "…\x00\n", "<b>&", "12", "-1")


@functools.cache
def schema_of(action_id: str) -> dict[str, Any]:
    """Of an action's arguments; it takes a millisecond to be made."""
    return CATALOGUE.by_id[action_id].params.model_json_schema()


class Made:
    """Arguments as a schema allows them, mostly such that they mean something in a show, sometimes not."""

    def __init__(self, show: Show, seed: int) -> None:
        self._chance = random.Random(seed)
        self._ids = {
            name: [part["id"] for part in rows]
            for name, rows in show.model_dump(mode="json").items()
            if isinstance(rows, list) and rows and isinstance(rows[0], dict) and "id" in rows[0]
        }
        self._any = sorted(i for ids in self._ids.values() for i in ids)

    def call(self, depth: int = 0) -> tuple[str, dict[str, Any]]:
        row = self._chance.choice(CATALOGUE.rows)
        schema = schema_of(row.id)
        wanted = {
            name: self._value(name, part, schema.get("$defs", {}), depth)
            for name, part in schema.get("properties", {}).items()
            if name in schema.get("required", ()) or self._chance.random() < 0.5
        }
        if self._chance.random() < 0.03:
            wanted["salt"] = 1
        return row.id, wanted

    def pause_s(self) -> float:
        return self._chance.choice((0.0, 0.0, 0.04, 0.3, 2.0, 11.0))

    def report(self, now_s: float) -> Report:
        """Anything that a device, the mixer or another machine may say, true or not."""
        kind = self._chance.choice(REPORT_KINDS)
        return kind(**{part.name: self._told(part.name, str(part.type), now_s) for part in fields(kind)})

    def _told(self, name: str, kind: str, now_s: float) -> Any:
        chance = self._chance
        if name == "camera_id":
            return chance.choice((*self._ids["cameras"], "gone"))
        if name in ("sampled_s", "at_s", "captured_s"):
            return chance.choice((now_s, now_s - chance.uniform(0, 3), now_s + 1.0))
        if name == "output":
            return chance.choice(("recording", "stream", "virtual camera", *self._ids["cameras"]))
        if name == "line":
            return chance.choice(("osc /ribalta/take", "midi note 1 60", "osc /go 1 2", "…", "http /x"))
        if name == "mic_ids":
            return tuple(chance.sample(self._ids["microphones"], chance.randint(0, 4)))
        if name.endswith("_id"):
            return chance.choice(self._any)
        if "Aim" in kind:
            return Aim(chance.uniform(-400, 400), chance.uniform(-200, 200), chance.uniform(-1, 2))
        if "bool" in kind:
            return chance.random() < 0.6
        if "float" in kind:
            return chance.choice((0.0, chance.uniform(-5, 5), chance.uniform(-1e6, 1e6)))
        whole = "int" in kind and ("str" not in kind or chance.random() < 0.5)
        return chance.randint(-3, 300) if whole else chance.choice(WORDS)

    def _value(self, name: str, schema: dict[str, Any], defs: dict[str, Any], depth: int = 0) -> Any:
        chance = self._chance
        if "$ref" in schema:
            return self._value(name, defs[schema["$ref"].rpartition("/")[2]], defs, depth)
        if "enum" in schema:
            return chance.choice(schema["enum"])
        if "const" in schema:
            return schema["const"]
        for among in ("anyOf", "oneOf"):
            if among in schema:
                return self._value(name, chance.choice(schema[among]), defs, depth)
        match schema.get("type"):
            case "boolean":
                return chance.random() < 0.5
            case "integer":
                return self._number(schema, name, whole=True)
            case "number":
                return self._number(schema, name, whole=False)
            case "array":
                return self._row(name, schema, defs, depth)
            case "object":
                return self._object(schema, defs, depth)
            case "null":
                return None
            case _:
                return self._word(name, schema)

    def _number(self, schema: dict[str, Any], name: str, whole: bool) -> float:
        least = schema.get("minimum", schema.get("exclusiveMinimum", -3))
        most = min(schema.get("maximum", schema.get("exclusiveMaximum", 12)), least + 200)
        if self._chance.random() < 0.05:
            return self._chance.choice((least - 1, most + 1, 10**9))
        if name in ("camera", "scene", "number"):
            most = min(most, max(least, 8))
        return self._chance.randint(int(least), int(most)) if whole else self._chance.uniform(least, most)

    def _row(self, name: str, schema: dict[str, Any], defs: dict[str, Any], depth: int) -> list[Any]:
        if depth > 3:
            return []
        if "prefixItems" in schema:
            return [self._value(name, part, defs, depth + 1) for part in schema["prefixItems"]]
        count = self._chance.randint(schema.get("minItems", 0), min(schema.get("maxItems", 3), 3))
        return [self._value(name, schema.get("items", {}), defs, depth + 1) for _ in range(count)]

    def _object(self, schema: dict[str, Any], defs: dict[str, Any], depth: int) -> dict[str, Any]:
        if depth > 3:
            return {}
        match schema.get("title"):
            case "Item" if self._chance.random() < 0.9:
                kind, plural = self._chance.choice(PLURALS)
                return {"kind": kind, "id": self._chance.choice(self._ids.get(plural) or self._any)}
            case "Call" if self._chance.random() < 0.9:
                action, arguments = self.call(depth + 2)
                return {"action": action, "arguments": arguments}
            case "Step" if self._chance.random() < 0.7:
                call = self._object({"title": "Call"}, defs, depth)
                wait = {"kind": "wait", "seconds": self._chance.uniform(0, 3)}
                return wait if self._chance.random() < 0.3 else {"kind": "do", "call": call}
        rows = schema.get("properties", {})
        some = {n: p for n, p in rows.items() if n in schema.get("required", ()) or self._chance.random() < 0.4}
        return {n: self._value(n, p, defs, depth + 1) for n, p in some.items()}

    def _word(self, name: str, schema: dict[str, Any]) -> str:
        chance = self._chance
        among = re.fullmatch(r"\^\(([\w |-]+)\)\$", schema.get("pattern", ""))
        if among:
            return chance.choice(among[1].split("|"))
        if "[0-9a-f]{64}" in schema.get("pattern", ""):
            return f"{chance.getrandbits(256):064x}"
        if "#[" in schema.get("pattern", ""):
            return f"#{chance.randrange(1 << 24):06x}"
        own = next(
            (ids for plural, ids in self._ids.items() if name.rstrip("s").startswith(plural[:5].rstrip("s"))), None
        )
        if name == "letter" or "QWERT" in schema.get("pattern", ""):
            return chance.choice("QWERTASDFG")
        if own and chance.random() < 0.8:
            return chance.choice(own)
        if name == "control" and "midi bend" in schema.get("pattern", ""):
            return chance.choice(("midi control 1 7", "midi control 2 40", "midi bend 9", "osc /fader/1", "key K"))
        if name == "key" and "[a-z_.]" in schema.get("pattern", ""):
            return "framing.age"
        if name == "key":
            return chance.choice(("F5", "Ctrl+J", "A", "Shift+", "1"))
        if name == "action" and chance.random() < 0.9:
            return chance.choice(CATALOGUE.rows).id
        return chance.choice((*WORDS, chance.choice(self._any)))


class Played:
    """An engine whose cameras are where they were sent the moment after."""

    def __init__(self) -> None:
        self.opening = OPENING
        self.entries: list[Entry] = []
        self.engine = Engine(self.opening, lambda entry, _: self.entries.append(entry))
        self.now_s = 0.0

    def serve(self) -> None:
        """Until nothing more is asked of them; what is said meanwhile is nobody's."""
        for _ in range(20):
            _, requests = self.engine.drain()
            sent: dict[str, Aim] = {r.camera_id: r.aim for r in requests if isinstance(r, GoTo | GlideTo)}
            for camera_id, aim in sent.items():
                if not self.engine.state.live(camera_id).answers:
                    continue
                for _ in range(3):
                    self.now_s += 0.05
                    self.engine.report(Position(camera_id, aim, self.now_s), self.now_s)
            if not sent:
                return

    def turn(self, seconds: float) -> None:
        self.now_s += seconds
        self.engine.advance(self.now_s)
        self.serve()


def text(show: Show) -> Show:
    """Without the number that the next part will have: it goes on, so that no number is given twice."""
    return show.model_copy(update={"next_number": 0})


def sound(show: Show) -> bool:
    """Can it be stored and opened again as it is?"""
    return Show.model_validate(show.model_dump(mode="json")) == show


@given(st.integers(0, 10**6))
@examples(30)
def test_whatever_runs_is_done_or_refused_in_a_sentence_and_edits_can_be_taken_back(seed):
    played = Played()
    made = Made(played.opening.show, seed)
    for _ in range(30):
        action, arguments = made.call()
        played.turn(made.pause_s())
        if random.Random(f"{seed} {played.now_s}").random() < 0.1:
            played.engine.report(made.report(played.now_s), played.now_s)
            played.serve()
        before = played.engine.state
        ran = played.engine.act(action, arguments, played.now_s)
        events, _ = played.engine.drain()
        after = played.engine.state
        refusals = [e.sentence for e in events if isinstance(e, Notice) and e.severity is Severity.REFUSED]
        for sentence in refusals:
            assert sentence.strip()[-1] in ".?!)”", (action, arguments, sentence)
            assert "Traceback" not in sentence
        if ran.refused:
            assert after.show == before.show, (action, arguments, ran.refused)
        if after.show is not before.show:
            assert sound(after.show), (action, arguments)
        edits = [e for e in events if isinstance(e, ShowEdited)]
        if len(edits) == 1 and after.edits.count > before.edits.count and not CATALOGUE.by_id[action].stores:
            assert action in IN_THE_SHOW or after.run.count > before.run.count + 1, (
                f"{action} does not say that it edits"
            )
        if len(edits) == 1 and action not in HISTORY and not refusals:
            played.engine.act("edit.undo", {}, played.now_s)
            assert text(played.engine.state.show) == text(before.show), (action, arguments)
            played.engine.act("edit.redo", {}, played.now_s)
            assert text(played.engine.state.show) == text(after.show), (action, arguments)
        state = played.engine.state
        assert state.program.on_air is None or parts(state, state.program.on_air) is not None
        if state.program.next is not None:
            landing_state(state, state.program.next, played.now_s)
            time_to_set_s(state, state.program.next, played.now_s)
        playlist_outlook.of_running(state, played.now_s, 4)
        played.serve()
    played.turn(30.0)
    again = replay(played.opening, played.entries)
    again.advance(played.now_s)
    assert again.state.show == played.engine.state.show
    assert again.state.program.on_air == played.engine.state.program.on_air
    assert again.state.program.records == played.engine.state.program.records


@given(st.integers(0, 10**6))
@examples(20)
def test_whatever_devices_say_the_show_goes_on_and_is_not_edited_by_it(seed):
    played, made = Played(), Made(OPENING.show, seed)
    bare = OPENING.show.model_copy(update={"triggers": ()})  # else what comes sets something off
    played.engine = Engine(opening := all_there(bare), lambda entry, _: played.entries.append(entry))
    for k in range(60):
        if k % 12 == 0:
            played.engine.act("ready.framing", {"camera": 1 + k // 12 % 4, "letter": "QWER"[k // 12 % 4]}, played.now_s)
            played.engine.act("take", {}, played.now_s)
        played.engine.report(made.report(played.now_s), played.now_s)
        events, _ = played.engine.drain()
        for event in events:
            assert not isinstance(event, Notice) or event.sentence.strip()
        played.turn(made.pause_s() / 10)
        state = played.engine.state
        for camera in state.show.cameras:
            shot = Shot(camera.id, state.live(camera.id).goal_framing_id)
            left_s = time_to_set_s(state, shot, played.now_s)
            assert left_s is None or left_s >= 0
            assert 0 <= progress(state, shot, played.now_s) <= 1
    learned = {c.id: c.model_copy(update={"head": None}) for c in played.engine.state.show.cameras}
    assert learned == {c.id: c.model_copy(update={"head": None}) for c in bare.cameras}
    assert played.engine.state.show.framings == bare.framings
    again = replay(opening, played.entries)
    again.advance(played.now_s)
    assert again.state == played.engine.state


def test_every_action_is_reached_with_arguments_that_it_takes():
    """The property above would be worth little if nearly all that it tries were refused as nonsense."""
    played, made = Played(), Made(OPENING.show, 1)
    taken: dict[str, int] = {}
    for _ in range(4000):
        action, arguments = made.call()
        try:
            CATALOGUE.find(action, arguments)
        except Exception:  # counted by its absence
            continue
        taken[action] = taken.get(action, 0) + 1
    never = {row.id for row in CATALOGUE.rows} - taken.keys()
    assert not never
    assert sum(taken.values()) > 2400
    assert played.engine.state.show == played.opening.show


@pytest.mark.parametrize("row", CATALOGUE.rows, ids=lambda row: row.id)
def test_an_action_says_what_it_is_and_what_is_wrong_with_its_arguments(row):
    played = Played()
    assert row.sentence[0].isupper()
    ran = played.engine.act(row.id, {"salt": 1}, 1.0)
    assert ran.refused
    required = [name for name, field in row.params.model_fields.items() if field.is_required()]
    assert (f"{field_words(required[0])} is missing" if required else "salt") in ran.refused
    assert "{" not in ran.refused.partition(":")[0]
    assert played.engine.state.show == played.opening.show
