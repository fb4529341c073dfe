"""Work on cameras, placing one from marks, plans from and to files, and passwords that go nowhere else."""

import random
from types import SimpleNamespace

import keyring
import pytest
from keyring.backends import fail, null

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import point_to_pan_tilt
from ribalta.core.ports.messages import Contact, Notice, Position, Report, Severity
from ribalta.core.show.document.model import Mark
from ribalta.devices.secrets import Secrets
from ribalta.server.cameras.camera_jobs import CameraJobs
from ribalta.server.cameras.camera_placing import CameraPlacing
from ribalta.server.import_export.transfers import Transfers
from ribalta.server.inbox import Inbox
from ribalta.server.passwords import Passwords
from tests.core.hand_wound import Hall, small_show
from tests.desk.hand_wound import AtOnce

MARKS = (("Kiln", -4.8, 3.0, 1.3), ("Jury", 7.0, -2.0, 1.3), ("Host", -2.0, -1.5, 1.6), ("Shelf", 5.0, 3.0, 1.2))


class Desk:
    """What work on cameras needs, over a hand-wound hall."""

    def __init__(self) -> None:
        marks = tuple(Mark(id=f"m{k}", name=n, x_m=x, y_m=y, height_m=z) for k, (n, x, y, z) in enumerate(MARKS))
        self.hall = Hall(small_show().model_copy(update={"marks": marks}))
        self.clock = self.hall.clock
        self.said: list[Notice] = []

    @property
    def state(self):
        return self.hall.state

    def act(self, action: str, arguments) -> None:
        self.hall.act(action, **arguments)

    def say(self, notice: Notice) -> None:
        self.said.append(notice)

    def report(self, report: Report) -> None:
        self.hall.engine.report(report, self.clock.now_s())

    def look(self, camera_id: str) -> None:
        return None

    def stored_picture(self, name: str) -> None:
        return None

    def picture_trouble(self, camera_id: str) -> None:
        return None

    def aim_at(self, mark: Mark, off_deg: float = 0.0) -> None:
        pan, tilt = point_to_pan_tilt(TRUE, mark.x_m, mark.y_m, mark.height_m)
        report = Position("c1", Aim(pan + off_deg, tilt, 0.0), self.clock.now_s() + 1)
        self.clock.advance(1)
        self.hall.engine.report(report, self.clock.now_s())


TRUE = small_show().camera("c1").place.model_copy(update={"x_m": 0.5, "y_m": -6.0, "z_m": 1.9}).pose


@pytest.fixture
def desk():
    return Desk()


@pytest.fixture
def placing(desk):
    return CameraPlacing(desk, AtOnce())


@pytest.fixture
def transfers(desk):
    return Transfers(desk, AtOnce(), lambda _: None)


@pytest.fixture
def jobs(desk):
    return CameraJobs(desk, Secrets())


def test_a_camera_that_was_aimed_at_marks_is_placed_and_it_says_how_well(desk, placing):
    rng = random.Random(3)
    assert "aim it at three marks or more" in placing.sight_words("c1")
    for k, mark in enumerate(desk.state.show.marks):
        desk.aim_at(mark, rng.gauss(0, 0.1))
        placing.take_sight("c1", mark.id)
        if k == 1:
            assert placing.sight_words("c1") == "Aimed at Kiln, Jury. 1 more is needed."
            placing.solve_place("c1")
            assert desk.said[-1].severity is Severity.REFUSED
            assert "three different marks or more are needed" in desk.said[-1].sentence
    placing.solve_place("c1")
    place = desk.state.show.camera("c1").place
    assert (place.x_m, place.y_m) == (pytest.approx(0.5, abs=0.1), pytest.approx(-6.0, abs=0.1))
    assert desk.said[-1].sentence.startswith("Camera 1 is placed: ")
    assert " cm off at the marks." in desk.said[-1].sentence
    desk.act("edit.undo", {})
    assert desk.state.show.camera("c1").place.x_m == 0.0
    placing.forget_sights("c1")
    placing.solve_place("c1")
    assert desk.state.show.camera("c1").place.x_m == 0.0


def test_a_camera_that_does_not_say_where_it_points_gives_no_sight(desk, placing):
    desk.hall.engine.report(Contact("c1", False), desk.clock.now_s())
    placing.take_sight("c1", "m0")
    assert desk.said[-1].sentence == "Camera 1 does not say where it points, so “Kiln” is not noted."
    placing.take_sight("c9", "m0")
    placing.take_sight("c1", "m9")
    assert len(desk.said) == 1


def test_a_plan_comes_from_a_file_and_its_bad_rows_are_said(desk, transfers, tmp_path):
    plan = tmp_path / "hall.csv"
    plan.write_text("name,x,y\nKiln,1,2\nBad,one,2\nStairs,3,4\n")
    transfers.bring_in_plan(plan, 100.0)
    assert [(m.name, m.x_m) for m in desk.state.show.marks if m.name in ("Kiln", "Stairs")] == [
        ("Kiln", 1.0),
        ("Stairs", 3.0),
    ]
    assert desk.said[-1].sentence == "One row was left out. Row 3: x “one” is not a number."
    transfers.bring_in_plan(tmp_path / "none.svg", 100.0)
    assert "cannot be read" in desk.said[-1].sentence
    transfers.write_out_plan(tmp_path / "out.svg")
    assert desk.said[-1].sentence == "The plan is written to out.svg."
    transfers.write_out_plan(tmp_path / "no" / "out.svg")
    assert desk.said[-1].severity is Severity.FAULT


@pytest.mark.parametrize(("backend", "said"), [(null.Keyring, 0), (fail.Keyring, 1)])
def test_a_password_is_kept_and_where_there_is_no_keyring_that_is_said(desk, monkeypatch, backend, said):
    monkeypatch.setattr(keyring.core, "_keyring_backend", backend())
    inbox, changed = Inbox(), []
    passwords = Passwords(Secrets(), inbox, AtOnce())
    passwords.on_change(lambda: changed.append(True))
    passwords.keep("192.0.2.7:80", "crew", "kiln")
    put_in = [inbox.take(0) for _ in range(len(inbox))]
    assert [one.sentence for one in put_in if isinstance(one, Notice)] == [
        "This desktop has no keyring: the password is kept in a file that only you can read."
    ] * said
    put_in[-1](desk.hall.engine)
    assert changed == [True]
    assert passwords.secrets.get("192.0.2.7:80", "crew") == "kiln"
    assert passwords.secrets.get("192.0.2.7:80", "other") == ""


def test_work_that_meets_a_mistake_of_ours_says_so_and_can_be_begun_again(desk, jobs, caplog):
    jobs.find("not an address")
    for worker in jobs._workers:
        worker.join()
    job = jobs.jobs[next(iter(jobs.jobs))]
    assert (job.done, job.sentence, job.good) == (True, "Not done.", False)
    assert job.findings[0].sentence.startswith("“not an address” is not an address")
    broken = SimpleNamespace(stopped=False, stop=lambda: None, hear=lambda _: None)
    jobs._start(job.kind, "", broken, lambda: 1 / 0)
    for worker in jobs._workers:
        worker.join()
    assert jobs.jobs[(job.kind, "")].sentence == "Ribalta made a mistake (ZeroDivisionError). Try it again."
    assert "ZeroDivisionError" in caplog.text
    caplog.clear()
    jobs.stop()
