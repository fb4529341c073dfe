"""Checking, closing down and setting up, as a desk has them: what is asked goes to the server."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ribalta.attach.remote_parts import Ask, Told
from ribalta.core.ports.crew import EveningEnd
from ribalta.core.readiness.lines import Progress
from ribalta.core.show.document.profiles import Profile
from ribalta.core.survey.job import Job, Kind


class RemoteReadiness:
    """Looking at everything before doors."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    @property
    def now(self) -> Progress:
        """How the check stands."""
        found: Progress = self._told.get("evening.readiness.now", Progress())
        return found

    def begin(self) -> None:
        """Look at everything."""
        self._ask("evening.readiness.begin")

    def cancel(self) -> None:
        """End it before it is done."""
        self._ask("evening.readiness.cancel")


class RemoteClosing:
    """How the end of the evening goes."""

    def __init__(self, told: Told) -> None:
        self._told = told

    @property
    def now(self) -> EveningEnd:
        """Each part of it, with what happened."""
        found: EveningEnd = self._told.get("evening.closing.now", EveningEnd())
        return found


class RemoteCameraJobs:
    """Finding, checking, measuring and comparing cameras."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    @property
    def jobs(self) -> Mapping[tuple[Kind, str], Job]:
        found: Mapping[tuple[Kind, str], Job] = self._told.get("setup.jobs.jobs", {})
        return found

    def begin(self, kind: Kind, camera_id: str) -> None:
        """Begin work on a camera."""
        self._ask("setup.jobs.begin", kind, camera_id)

    def cancel(self, kind: Kind, camera_id: str) -> None:
        """End it before it is done."""
        self._ask("setup.jobs.cancel", kind, camera_id)

    def find(self, where: str) -> None:
        """Look for cameras at an address or range; empty: ask the network."""
        self._ask("setup.jobs.find", where)

    def profiles(self) -> Sequence[Profile]:
        """Camera models."""
        found: Sequence[Profile] = self._told.get("setup.jobs.profiles", ())
        return found


class RemotePlacing:
    """Where cameras stand, worked out from marks."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told

    def take_sight(self, camera_id: str, mark_id: str) -> None:
        """The camera has a mark in the middle of its picture now."""
        self._ask("setup.placing.take_sight", camera_id, mark_id)

    def forget_sights(self, camera_id: str) -> None:
        """Begin again."""
        self._ask("setup.placing.forget_sights", camera_id)

    def solve_place(self, camera_id: str) -> None:
        """Work out where it stands."""
        self._ask("setup.placing.solve_place", camera_id)

    def sight_words(self, camera_id: str) -> str:
        """What has been noted so far."""
        words: Mapping[str, str] = self._told.get("setup.placing.words", {})
        return words.get(camera_id, "")


class RemotePasswords:
    """Passwords are kept where the show is."""

    def __init__(self, ask: Ask) -> None:
        self._ask = ask

    def keep(self, where: str, user: str, password: str) -> None:
        """`where` is an address."""
        self._ask("setup.passwords.keep", where, user, password)


@dataclass
class RemoteSetup:
    """What sets cameras up."""

    jobs: RemoteCameraJobs
    placing: RemotePlacing
    passwords: RemotePasswords


@dataclass
class RemoteEvening:
    """Before doors, and when all have gone."""

    readiness: RemoteReadiness
    closing: RemoteClosing
