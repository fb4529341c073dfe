"""The guide inside the application: every view opens it at a page, words are found, links lead to pages that exist."""

import re
from pathlib import Path

import pytest
from PySide6.QtCore import QUrl
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import QApplication

import ribalta
from ribalta.desk.keys.guide_window import FIRST, NOTHING, OF_CUE, OF_RIG, OF_WRAP, ORDER, GuideWindow, pages
from tests.desk.seen import contrast


@pytest.fixture
def guide(app):
    made = GuideWindow()
    yield made
    made.deleteLater()


def listed(guide: GuideWindow) -> list[str]:
    return [guide.list.item(k).text() for k in range(guide.list.count())]


def test_every_page_that_is_named_exists_and_every_link_leads_somewhere():
    stems = {path.stem for path in pages().values()}
    assert {*FIRST.values(), *OF_CUE.values(), *OF_RIG.values(), *OF_WRAP.values(), *ORDER} <= stems
    assert FIRST.keys() == {"Rig", "Frame", "Cue", "Check", "Air", "Wrap"}
    for path in pages().values():
        for link in re.findall(r"\]\(([^)#/]+\.md)", path.read_text()):
            assert Path(link).stem in stems, f"{path.stem}: {link}"


def test_every_picture_that_is_named_is_there_and_there_are_fewer_than_twenty():
    docs = Path(ribalta.__file__).resolve().parents[2] / "docs"
    there = {path.name for path in (docs / "screenshots").iterdir()}
    papers = [docs.parent / "README.md", *docs.glob("*.md"), *(docs / "guide").glob("*.md")]
    named = {name for paper in papers for name in re.findall(r"screenshots/([\w-]+\.png)", paper.read_text())}
    assert named == there
    assert len(there) < 20


def test_words_are_found_in_all_pages_and_in_the_page(guide):
    guide.open_at("Check")
    assert guide.list.currentItem().text() == "Before doors"
    guide.sought.setText("standby TALLY evening")
    assert listed(guide) == ["Close down"]
    assert guide.text.textCursor().selectedText().casefold() == "standby"
    guide.sought.setText("no such words anywhere")
    assert listed(guide) == [NOTHING]
    guide.open_at("Wrap", "Close down")
    assert guide.list.currentItem().text() == "Close down"
    assert len(listed(guide)) == len(pages())
    guide._follow(QUrl("before-doors.md"))
    assert guide.list.currentItem().text() == "Before doors"


def test_a_link_can_be_read_on_its_page(app):
    link, ground = (QApplication.palette().color(role) for role in (QPalette.ColorRole.Link, QPalette.ColorRole.Base))
    assert contrast(*((c.red(), c.green(), c.blue()) for c in (link, ground))) >= 4.5
