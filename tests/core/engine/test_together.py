"""Several edits as one: all or none, one sentence, one undo."""

import pytest

from ribalta.core.engine.state.automation_state import VoiceMode
from tests.core.hand_wound import Hall


def calls(*pairs):
    return [{"action": action, "arguments": arguments} for action, arguments in pairs]


@pytest.fixture
def hall():
    made = Hall()
    for name in ("One", "Two", "Three"):
        made.act("macro.add", name=name)
    return made


def test_several_edits_are_one_and_undone_at_once(hall):
    before, ids = hall.state, [m.id for m in hall.state.show.macros]
    asked = calls(*(("macro.remove", {"macro": macro}) for macro in ids[1:]))
    hall.act("edit.together", calls=asked, what="removed 2 macros")
    assert [m.name for m in hall.state.show.macros] == ["One"]
    assert hall.sentences[-1] == "Removed 2 macros. Ctrl+Z undoes it."
    assert hall.state.edits.undo_words[-1] == "removed 2 macros"
    assert len(hall.state.edits.undo) == len(before.edits.undo) + 1
    hall.act("edit.undo")
    assert hall.state.show.macros == before.show.macros


def test_if_one_is_refused_none_is_done(hall):
    before, ids = hall.state.show, [m.id for m in hall.state.show.macros]
    asked = calls(("macro.remove", {"macro": ids[0]}), ("macro.remove", {"macro": "gone"}))
    hall.act("edit.together", calls=asked, what="removed 2 macros")
    assert hall.state.show is before
    assert "no such macro" in hall.sentences[-1]
    for other in ("take", "edit.together"):
        hall.act("edit.together", calls=calls((other, {"calls": asked, "what": "x"} if "." in other else {})), what="x")
        assert hall.state.show is before
        assert "no edit" in hall.sentences[-1]


def test_what_others_use_is_asked_about_once_for_all_of_them(hall):
    ids = [m.id for m in hall.state.show.macros]
    hall.act("shortcut.set", control="key J", action="macro.run", arguments={"macro": ids[0]})
    asked = calls(*(("macro.remove", {"macro": macro}) for macro in ids))
    hall.act("edit.together", calls=asked, what="removed 3 macros")
    assert len(hall.state.show.macros) == 3
    (event,) = [e for e in hall.events if type(e).__name__ == "InUse"]
    assert event.action == "edit.together"
    hall.act(event.action, **dict(event.arguments), users="remove")
    assert hall.state.show.macros == ()
    assert hall.state.show.shortcuts == ()


def test_modes_of_voice_follow_are_read_as_older_shows_have_them():
    assert [VoiceMode(word) for word in ("by itself", "propose")] == [VoiceMode.AUTOMATIC, VoiceMode.SUGGEST]
