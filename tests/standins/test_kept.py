"""What is kept in the cache is what was made, whatever has become of the cache."""

import stat

import numpy as np
import pytest

from ribalta.standins import kept as kept_module
from ribalta.standins.hall import surfaces, textures
from ribalta.standins.kept import kept


class Maker:
    """Makes something, and counts how often."""

    def __init__(self) -> None:
        self.times = 0

    def __call__(self) -> dict[str, np.ndarray]:
        self.times += 1
        return {"image": np.arange(60, dtype=np.uint8).reshape(3, 5, 4), "chance": np.array("seven")}


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    return tmp_path / "ribalta"


def right(found) -> bool:
    return found.keys() == {"image", "chance"} and found["image"].sum() == 1770 and str(found["chance"]) == "seven"


def test_it_is_made_once_and_again_when_what_makes_it_has_changed(folder):
    make = Maker()
    assert all(right(kept("hall", (textures,), make)) for _ in range(3))
    assert make.times == 1
    (folder / "hall-of-one-that-was-killed.part").write_bytes(b"half")
    assert right(kept("hall", (textures, surfaces), make))
    assert make.times == 2
    (file,) = folder.iterdir()  # what was kept before is of no use to anybody
    assert stat.S_IMODE(file.stat().st_mode) == 0o600


@pytest.mark.parametrize("part", [0.0, 0.3, 0.9, 0.999])
def test_a_cache_that_was_cut_off_or_overwritten_is_made_anew(folder, part):
    make = Maker()
    kept("hall", (textures,), make)
    (file,) = folder.iterdir()
    data = file.read_bytes()
    cut = int(part * len(data))
    for damaged in (data[:cut], data[:cut] + bytes(len(data) - cut), b"PK" + data[:cut]):
        file.write_bytes(damaged)
        assert right(kept("hall", (textures,), make))
        assert right(kept("hall", (textures,), make))
    assert make.times <= 4


def test_where_nothing_can_be_kept_it_is_made_each_time(folder, monkeypatch):
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    make = Maker()
    monkeypatch.setattr(kept_module.np, "savez", full)
    assert right(kept("hall", (textures,), make))
    assert right(kept("hall", (textures,), make))
    assert make.times == 2
    assert not list(folder.iterdir())
    folder.rmdir()
    folder.write_text("a file where a folder should be")
    assert right(kept("hall", (textures,), make))
