"""The command line: a sentence for each mistake, and nothing started by one."""

import json
import socket
import subprocess
import sys

import pytest

from ribalta.app.cli import main


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--frobnicate"], "unrecognized arguments"),
        (["fly"], "invalid choice"),
        (["new"], "required"),
        (["new", __file__], "There is a show “test_cli.py” already"),
        (["new", "/nowhere/at/all.ribalta"], "could not be saved as"),
        (["profile", "/nowhere/model.json"], "The profile model.json cannot be read"),
        (["standins", "--net", "10.0.0"], "invalid block of loopback addresses"),
        (["receive", "gopher://x"], "gopher://x is not an address to receive at"),
        (["open", "/nowhere/missing.ribalta"], "“missing.ribalta” is not at /nowhere"),
    ],
)
def test_a_mistake_gets_a_sentence_and_exit_code_2(arguments, said, capsys):
    try:
        code = main(arguments)
    except SystemExit as stop:
        code = stop.code
    assert code == 2
    complaint = capsys.readouterr().err
    assert complaint.startswith("ribalta: ")
    assert said in complaint


def test_an_address_in_use_names_the_camera_and_the_way_out(tmp_path):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind(("127.254.9.2", 52381))
        command = [sys.executable, "-m", "ribalta", "standins", "--name", "ribalta-port-test", "--net", "127.254.9"]
        ended = subprocess.run(command, check=False, capture_output=True, text=True, timeout=60)
    assert ended.returncode == 2
    assert "Stand-in camera 2 cannot have port 52381 of 127.254.9.2: Address already in use" in ended.stderr
    assert "--net" in ended.stderr
    assert ended.stdout == ""


def test_the_schema_is_json_schema_with_every_part(capsys):
    assert main(["schema"]) == 0
    schema = json.loads(capsys.readouterr().out)
    assert {"cameras", "framings", "marks", "settings", "schema_version"} <= set(schema["properties"])
    assert schema["$defs"]["Framing"]["properties"]["zoom"]["maximum"] == 1
