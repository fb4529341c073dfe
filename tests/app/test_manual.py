"""The manual and the schemas are made from the catalogue, and what is kept of them is not stale."""

import json
from pathlib import Path

import pytest

from ribalta.app.cli import main
from ribalta.app.manual import FILES
from ribalta.core.engine.catalogue import CATALOGUE

KEPT = Path(__file__).parents[2] / "docs" / "manual"


@pytest.mark.parametrize("name", FILES)
def test_what_is_kept_is_what_would_be_made_now(name, tmp_path):
    assert main(["manual", str(tmp_path)]) == 0
    assert (KEPT / name).read_text("utf-8") == (tmp_path / name).read_text("utf-8"), "stale: make manual"


def test_the_guide_has_the_table_of_roles_as_it_is_now():
    name = "what-guests-may-do.md"
    assert (KEPT.parents[1] / "src" / "ribalta" / "guide" / name).read_text("utf-8") == FILES[name](), (
        "stale: make manual"
    )


def test_the_manual_has_every_action_with_its_addresses_and_arguments():
    page = FILES["actions.md"]()
    for row in CATALOGUE.rows:
        assert f"### {row.id}\n" in page
        part = page.split(f"### {row.id}\n")[1].split("\n##")[0]
        assert f"/ribalta/{row.id.replace('.', '/')}`" in part
        assert all(f"`{name}`" in part for name in row.params.model_fields)
    assert "{" not in page.replace("{camera}", "").replace("{}", "")


def test_the_schemas_are_json_and_name_every_argument():
    rows = {row["id"]: row for row in json.loads(FILES["actions.schema.json"]())}
    assert set(rows) == set(CATALOGUE.by_id)
    assert set(rows["ready.framing"]["arguments"]["properties"]) == {"camera", "letter", "page", "live", "seconds"}
