"""A conversation as a script: who speaks when, for rehearsing voice follow. It is read from JSON of this form:

    {"name": "Two at the table", "seconds": 40, "bleed_db": -12, "noise_db": -62, "seed": 1,
     "levels_db": {"5": -22, "6": -27},
     "turns": [{"from_s": 0.5, "to_s": 8, "who": [5]},
               {"from_s": 4, "to_s": 4.4, "who": [6], "interjection": true},
               {"from_s": 8.3, "to_s": 14, "who": [5, 6]},
               {"from_s": 14, "to_s": 20, "applause": true, "level_db": -32},
               {"from_s": 20, "to_s": 30, "silence": true}]}

Numbers in "who" and "levels_db" are those of microphones. "bleed_db" is how loud a voice is in every other microphone,
"levels_db" how loud each speaks (dBFS, -24 if not said), "noise_db" what every microphone hears of the room. Two in
"who" speak at once; an "interjection" is a word put in, which is nobody's turn. What the microphones hear is made from
it: syllables, breaths and pauses by a seed, as the mean square of each block of BLOCK_S.
"""

import json
import random
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.validation import reason

BLOCK_S = 0.02
USUAL_DB = -24.0
Seconds = Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False)]
Level = Annotated[float, Field(ge=-90, le=0, allow_inf_nan=False)]
Number = Annotated[int, Field(ge=1, le=64)]
Powers = NDArray[np.float64]


class _Strict(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Turn(_Strict):
    """One speaks, or several at once; or all clap; or nobody says anything."""

    from_s: Seconds
    to_s: Seconds
    who: tuple[Number, ...] = ()
    interjection: bool = False
    applause: bool = False
    silence: bool = False
    level_db: Level | None = None

    @model_validator(mode="after")
    def _whole(self) -> "Turn":
        if self.to_s <= self.from_s:
            raise ValueError("a turn ends after it has begun")
        if bool(self.who) + self.applause + self.silence != 1:
            raise ValueError("a turn is somebody's, or applause, or silence")
        return self


class Conversation(_Strict):
    """See the module's head. `seconds` is how long it is; turns may overlap."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    seconds: Annotated[float, Field(gt=0, le=3600)]
    bleed_db: Annotated[float, Field(ge=-60, le=0)] = -12.0
    noise_db: Level = -62.0
    seed: int = 1
    levels_db: dict[Number, Level] = {}
    turns: Annotated[tuple[Turn, ...], Field(max_length=5000)] = ()

    @property
    def mics(self) -> tuple[int, ...]:
        """The numbers of the microphones that somebody speaks into."""
        return tuple(sorted({number for turn in self.turns for number in turn.who}))


@dataclass(frozen=True, slots=True)
class Truth:
    """Who has the word from when to when: numbers of microphones, none when nobody or everybody has it."""

    from_s: float
    to_s: float
    who: frozenset[int]
    silent: bool = False


def read_conversation(path: Path) -> Conversation:
    """Raises LocalFault with what is wrong."""
    try:
        return Conversation.model_validate(json.loads(path.read_text()))
    except OSError as error:
        raise LocalFault(f"{path} cannot be read: {error.strerror or error}.") from None
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise LocalFault(f"{path.name} is no conversation: {where} {reason(first)}.") from None
    except (ValueError, RecursionError) as error:
        raise LocalFault(f"{path.name} is no JSON: {error}.") from None


def truths(conversation: Conversation) -> tuple[Truth, ...]:
    """Who has the word, as stretches that follow one another; gaps between turns belong to nobody."""
    turns = [t for t in conversation.turns if not t.interjection]
    edges = sorted({t.from_s for t in turns} | {min(t.to_s, conversation.seconds) for t in turns})
    found: list[Truth] = []
    for begin, end in pairwise(edges):
        here = [t for t in turns if t.from_s <= begin and t.to_s >= end]
        if not here:
            continue
        crowd = any(t.applause for t in here)
        who = frozenset() if crowd else frozenset(n for t in here for n in t.who)
        silent = not crowd and not who
        last = found[-1] if found else None
        if last is not None and last.to_s == begin and (last.who, last.silent) == (who, silent):
            found[-1] = Truth(last.from_s, end, who, silent)
        else:
            found.append(Truth(begin, end, who, silent))
    return tuple(found)


def blocks(conversation: Conversation, mics: Sequence[int]) -> Iterator[tuple[float, Powers]]:
    """What microphones with these numbers hear: the end of each block, in seconds, and its mean square in each."""
    count = int(conversation.seconds / BLOCK_S)
    place = {number: k for k, number in enumerate(mics)}
    own = np.zeros((count, len(mics)))
    crowd = np.zeros(count)
    for k, turn in enumerate(conversation.turns):
        first, last = int(turn.from_s / BLOCK_S), min(count, int(turn.to_s / BLOCK_S))
        chance = random.Random(f"{conversation.seed} {k}")
        if turn.applause:
            crowd[first:last] += 10 ** ((turn.level_db if turn.level_db is not None else -32.0) / 10)
        for number in turn.who:
            if number in place and last > first:
                usual = conversation.levels_db.get(number, USUAL_DB)
                level = turn.level_db if turn.level_db is not None else usual
                own[first:last, place[number]] += 10 ** (level / 10) * _speech(last - first, chance)
    bleed = np.full((len(mics), len(mics)), 10 ** (conversation.bleed_db / 10))
    np.fill_diagonal(bleed, 1.0)
    noise = 10 ** (conversation.noise_db / 10)
    rough = np.random.default_rng(conversation.seed)
    heard = (own @ bleed + noise) * rough.gamma(8.0, 1 / 8.0, (count, len(mics)))
    heard += crowd[:, None] * rough.gamma(12.0, 1 / 12.0, (count, len(mics)))
    for k in range(count):
        yield (k + 1) * BLOCK_S, heard[k]


def _speech(count: int, chance: random.Random) -> Powers:
    """The loudness of one voice over so many blocks, about 1 while it is heard: phrases of syllables, with breaths."""
    out = np.zeros(count)
    at = 0
    while at < count:
        phrase_end = at + round(chance.uniform(1.2, 3.2) / BLOCK_S)
        while at < min(phrase_end, count):
            long = round(chance.uniform(0.14, 0.26) / BLOCK_S)
            loud = chance.uniform(0.5, 1.6)
            shape = np.sin(np.pi * (np.arange(long) + 0.5) / long) ** 1.5
            out[at : at + long] = loud * np.maximum(0.02, shape[: max(0, count - at)])
            at += long
        at += round(chance.uniform(0.15, 0.45) / BLOCK_S)
    return out
