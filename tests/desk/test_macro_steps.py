"""The steps of a macro in the real window: groups, moving them by hand and keys, the dry run beside them."""

import time

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import turn_until
from tests.desk.test_prompt_parts import page, refreshed, row_of, rows, step_rows
from tests.desk.test_prompt_parts import window as window


def test_the_list_follows_the_step_that_runs_while_nobody_edits_one(window, hall):
    hall.act("macro.add", name="Long", steps=[{"kind": "wait", "seconds": 1.0}] * 40)
    macros = page(window, "Macros")
    QApplication.processEvents()
    hall.act("macro.run", macro=hall.state.show.macros[0].id)
    for _ in range(3):
        hall.turn(9)
        refreshed(macros)
        QApplication.processEvents()
        runs = next(item for item in macros.steps._items().values() if item.text(0).startswith("▶"))
        assert macros.steps.viewport().rect().intersects(macros.steps.visualItemRect(runs))
    macros._step_chosen((0,))
    refreshed(macros)
    macros.steps.scrollToTop()
    hall.turn(3)
    refreshed(macros)
    assert macros.steps.verticalScrollBar().value() == 0


def test_a_dry_run_is_listed_and_touches_nothing(window, hall):
    hall.act(
        "macro.add",
        name="Go",
        steps=[
            {"call": {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}},
            {"kind": "until set", "seconds": 20},
            {"call": {"action": "take"}},
        ],
    )
    before = hall.state
    macros = refreshed(page(window, "Macros"))
    macros.dry.click()
    assert not refreshed(macros).dry.isEnabled()  # one at a time, though the page is drawn anew meanwhile
    turn_until(refreshed(macros).dry.isEnabled)
    said = rows(macros.lines)
    assert said[0].startswith("Dry run:")
    assert "1 of 1 cuts would land" in said[0]
    assert said[-1].endswith("lands")
    assert hall.state.program.next is before.program.next
    assert not hall.state.automation.runs


def test_steps_are_moved_into_groups_and_out_by_hand_and_by_keys_and_a_dry_run_stands_beside_them(window, hall):
    ready = {"kind": "do", "call": {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}}
    take = {"kind": "do", "call": {"action": "take", "arguments": {}}}
    wait = {"kind": "wait", "seconds": 3.0}
    group = {"kind": "repeat", "times": 1, "steps": [ready]}
    hall.act("macro.add", name="Go", steps=[wait, take, group])
    macros = refreshed(page(window, "Macros"))
    tree, control = macros.steps, Qt.KeyboardModifier.ControlModifier

    def kinds(steps=None) -> list[object]:
        steps = hall.state.show.macros[0].steps if steps is None else steps
        return [kinds(s.steps) if s.steps else s.call.action if s.call is not None else str(s.kind) for s in steps]

    def let_go(key: str, on: str, share: float) -> None:
        """Drag a row, and let it go at a share of another one's height."""
        tree.setCurrentItem(row_of(tree, key))
        area = tree.visualItemRect(row_of(tree, on))
        at = QPointF(area.center().x(), area.top() + share * area.height())
        mime = tree.mimeData(tree.selectedItems())
        drags = (Qt.DropAction.MoveAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        tree.dragEnterEvent(QDragEnterEvent(at.toPoint(), *drags))
        tree.dragMoveEvent(QDragMoveEvent(at.toPoint(), *drags))
        tree.dropEvent(QDropEvent(at, *drags))
        refreshed(macros)

    assert kinds() == ["wait", "take", ["ready.framing"]]
    let_go("1", "2", 0.5)  # onto the group: its last
    assert kinds() == ["wait", ["ready.framing", "take"]]
    hall.act("edit.undo")
    let_go("0", "2.0", 0.95)  # below a step inside it
    assert kinds() == ["take", ["ready.framing", "wait"]]
    assert macros.path == (1, 1)
    QTest.keyClick(tree, Qt.Key.Key_Left, control)  # out of it
    assert kinds() == ["take", ["ready.framing"], "wait"]
    assert refreshed(macros).path == (2,)
    QTest.keyClick(tree, Qt.Key.Key_Right, control)  # and in again
    assert kinds() == ["take", ["ready.framing", "wait"]]
    assert refreshed(macros).path == (1, 1)
    let_go("1", "1.0", 0.5)
    assert kinds() == ["take", ["ready.framing", "wait"]]
    assert "cannot be moved into itself" in hall.sentences[-1] or macros.path == (1,)
    let_go("0", "1", 0.98)
    tree.setCurrentItem(row_of(tree, "0"))
    macros._place([(0,)], (2,))
    refreshed(macros)
    row_of(tree, "0").setExpanded(False)  # folded, and stays so
    assert not row_of(refreshed(macros).steps, "0").isExpanded()
    row_of(tree, "0").setExpanded(True)
    macros._dry()
    for _ in range(200):
        QApplication.processEvents()
        if macros.dry.isEnabled():
            break
        time.sleep(0.01)
    said = step_rows(refreshed(macros).steps)
    assert any(row.endswith("0.0 s") and "Ready camera 2" in row for row in said)
    assert any("lands" in row and "Cut to Next" in row for row in said), said
    macros.grab()
