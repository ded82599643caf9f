"""The papers of the project: links that lead somewhere, pictures that exist, commands that are."""

import re
import subprocess
from pathlib import Path

import pytest

from openpail.cli.serve import serve
from openpail.craft.house import House
from openpail.demo.shots import SHOTS
from openpail.demo.tables import models_table

ROOT = Path(__file__).parents[2]
PAPERS = [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]


@pytest.mark.parametrize("paper", PAPERS, ids=lambda path: path.name)
def test_every_link_of_a_paper_leads_somewhere(paper):
    for target in re.findall(r"\]\(([^)#]+)\)", paper.read_text()):
        assert (paper.parent / target).exists(), target


def test_the_pictures_are_those_that_pail_shots_makes_and_the_readme_shows():
    pictures = {path.stem for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert pictures == {name for name, _ in SHOTS}
    readme = (ROOT / "README.md").read_text()
    assert all(f"screenshots/{name}.png" in readme for name in pictures)


def test_every_command_of_the_readme_is_one_of_pail():
    usage = subprocess.run([ROOT / "pail", "--help"], capture_output=True, text=True, check=True)
    for paper in PAPERS:
        for command in re.findall(r"`?\./pail (\w+)", paper.read_text()):
            assert f"./pail {command}" in usage.stdout, command


def test_every_setting_that_is_told_is_read():
    code = "".join(path.read_text() for path in (ROOT / "openpail").rglob("*.py"))
    told = set(re.findall(r"OPENPAIL_[A-Z_]+", serve.epilog + (ROOT / "pail").read_text()))
    assert {"OPENPAIL_STATE", "OPENPAIL_BACKUPS"} < told
    assert [name for name in told if f'"{name}"' not in code] == []


def test_what_the_models_rest_on_is_told_as_it_is():
    told = (ROOT / "docs" / "models.md").read_text("utf-8")
    assert models_table(House()) in told
