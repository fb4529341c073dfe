"""Several rows of a list: selected, removed as one, copied and pasted, by keys and from the menu."""

import json

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.ports.messages import Notice
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(load(SHIPPED).show)), "Cue")


def select(listing, *keys: str) -> None:
    """By the mouse: the first by a click, the others with Ctrl."""
    rows = {listing._rows[k].key: listing.item(k) for k in range(listing.count())}
    for k, key in enumerate(keys):
        listing.scrollToItem(rows[key])
        at = listing.visualItemRect(rows[key]).center()
        QTest.mouseClick(listing.viewport(), Qt.MouseButton.LeftButton, CTRL if k else Qt.NoModifier, at)
    assert set(listing.selected_keys()) == set(keys)


def seen(window) -> None:
    window.bridge.changed.emit()
    QApplication.processEvents()


def test_several_are_removed_by_delete_as_one_edit(window):
    for page in ("Macros", "Playlists", "Triggers", "Titles", "Scenes", "Pads"):
        field = "pages" if page == "Pads" else page.lower()
        window.cue.show_page(page)
        listing = getattr(window.cue, page.lower()).list
        if len(getattr(window.bridge.state.show, field)) < 2:  # the demo has one page of pads
            window.bridge.act("page.add")
        seen(window)
        items = getattr(window.bridge.state.show, field)
        keys = [str(item.number) if field == "scenes" else item.id for item in items[-2:]]
        select(listing, *keys)
        seen(window)  # what changes meanwhile leaves the selection
        assert len(listing.selected_keys()) == 2, page
        QTest.keyClick(listing, Qt.Key.Key_Delete)
        QApplication.processEvents()
        if window.users.isVisible():
            window.users.answer("remove")
        assert len(getattr(window.bridge.state.show, field)) == len(items) - 2, page
        assert window.bridge.state.edits.undo_words[-1].startswith("removed 2 ")
        window.bridge.act("edit.undo")
        assert getattr(window.bridge.state.show, field) == items


def test_copies_are_pasted_as_they_were(window):
    for page in ("Macros", "Playlists", "Triggers", "Titles"):
        window.cue.show_page(page)
        seen(window)
        listing, field = getattr(window.cue, page.lower()).list, page.lower()
        first = getattr(window.bridge.state.show, field)[0]
        select(listing, first.id)
        QTest.keyClick(listing, Qt.Key.Key_C, CTRL)
        QTest.keyClick(listing, Qt.Key.Key_V, CTRL)
        made = getattr(window.bridge.state.show, field)[-1]
        assert made.id != first.id
        assert made.name == first.name
        for part in ("steps", "entries", "calls", "fields"):
            assert getattr(made, part, None) == getattr(first, part, None)


def test_steps_and_entries_are_copied_into_another(window):
    show = window.bridge.state.show
    window.cue.show_page("Macros")
    macros = window.cue.macros
    one, other = (next(m for m in show.macros if len(m.steps) > 2), show.macros[0])
    macros.choose(one.id)
    seen(window)
    for row in ("0", "2"):
        macros.steps._items()[row].setSelected(True)
    menu = macros.steps.open_menu(QPoint())
    words = [a.text().split("\t")[0] for a in menu.actions() if a.text()]
    assert (words[0], words[-2:]) == ("Remove 2 steps", ["Copy", "Paste"])
    next(a for a in menu.actions() if a.text().startswith("Copy")).trigger()
    menu.close()
    macros.choose(other.id)
    seen(window)
    QTest.keyClick(macros.steps, Qt.Key.Key_V, CTRL)
    steps = window.bridge.state.show.macro(other.id).steps
    assert steps[-2:] == (one.steps[0], one.steps[2])
    window.cue.show_page("Playlists")
    lists, playlist = window.cue.playlists, show.playlists[0]
    lists.choose(playlist.id)
    seen(window)
    lists.strip.select([0, 1])
    QTest.keyClick(lists.strip, Qt.Key.Key_X, CTRL)
    assert window.bridge.state.show.playlist(playlist.id).entries == playlist.entries[2:]
    lists.choose(show.playlists[1].id)
    seen(window)
    QTest.keyClick(lists.strip, Qt.Key.Key_V, CTRL)
    assert window.bridge.state.show.playlist(show.playlists[1].id).entries[-2:] == playlist.entries[:2]


def test_whatever_lies_on_the_clipboard_is_refused_in_a_sentence(window):
    window.cue.show_page("Macros")
    before = window.bridge.state.show
    for text in ("", "hello", "[1, 2]", '{"ribalta": "steps", "rows": [{}]}', "{" * 5000,
                 '{"ribalta": "macros", "rows": [{"name": 7}]}', "x" * 3_000_000,
                 json.dumps({"ribalta": "macros", "rows": [{f"key {k}": k for k in range(100)}]})):  # fmt: skip
        QGuiApplication.clipboard().setText(text)
        QTest.keyClick(window.cue.macros.list, Qt.Key.Key_V, CTRL)
        QApplication.processEvents()
        assert window.bridge.state.show is before
        assert window.notices.sentence
        window.notices.say(Notice(""))
