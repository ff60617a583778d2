"""Documents that must follow the code: the picture of the architecture, the glossary, the links."""

import importlib.util
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
CODE = "\n".join(p.read_text(encoding="utf-8") for p in sorted((ROOT / "src").rglob("*.py")))


def test_the_picture_of_the_architecture_is_that_of_the_imports():
    path = ROOT / "scripts" / "architecture_picture.py"
    spec = importlib.util.spec_from_file_location("architecture_picture", path)
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    assert made.TARGET.read_text(encoding="utf-8") == made.drawn(), "run the script again"


def test_every_name_in_the_glossary_is_one_of_the_code():
    rows = [r for r in (ROOT / "docs" / "glossary.md").read_text().splitlines() if r[:2] == "| "]
    names = [n for row in rows for n in re.findall(r"`([\w.]+)`", row.split("|")[-2])]
    assert len(names) > 50
    for name in names:
        assert (
            re.search(
                rf"(?:class|def) {name.split('.')[-1]}\b|^    {name.split('.')[-1]}: ",
                CODE,
                re.MULTILINE,
            )
            or f"{name} = " in CODE
        ), name


@pytest.mark.parametrize(
    "page", [*sorted((ROOT / "docs").glob("*.md")), ROOT / "README.md"], ids=lambda p: p.name
)
def test_links_lead_somewhere_and_files_that_are_named_exist(page):
    text = page.read_text(encoding="utf-8")
    for target in re.findall(r"\]\(([^)#:]+?)(?:#[^)]*)?\)", text):
        assert (page.parent / target).exists(), target
    for path in re.findall(
        r"`((?:files|motion|physics|project|analysis|desktop|report|quantities|"
        r"tests|benchmarks|scripts|docs)/[\w./-]+\.(?:py|md|json|svg))`",
        text,
    ):
        assert (ROOT / path).exists() or (ROOT / "src" / "inertian" / path).exists(), path


@pytest.mark.parametrize("page", ["architecture.md", "contributing.md", "methods.md"])
def test_places_in_the_code_that_are_named_exist(page):
    text = (ROOT / "docs" / page).read_text(encoding="utf-8")
    floors = "files|motion|physics|project|analysis|desktop|report|quantities"
    for path in re.findall(rf"`((?:{floors})(?:/\w+)+/?)`", text):
        place = ROOT / "src" / "inertian" / path.rstrip("/")
        assert place.exists() or place.with_suffix(".py").exists() or "NAME" in path, path
