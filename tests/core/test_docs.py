"""What the documents for those who carry on say of the code is so."""

import re
from pathlib import Path

import pytest

PROJECT = Path(__file__).resolve().parents[2]
SOURCES = {
    path: path.read_text()
    for path in (PROJECT / "src").rglob("*.py")
    if "migrations" not in str(path)
}
ALL = "\n".join(SOURCES.values())
PACKAGES = {"core": "yardstick_core", "agent": "yardstick_agent", "server": "yardstick_server"}


def rows() -> list[list[str]]:
    text = (PROJECT / "docs" / "glossary.md").read_text()
    lines = [line for line in text.splitlines() if line.startswith("|")][2:]
    return [[cell.strip() for cell in line.strip("|").split("|")] for line in lines]


@pytest.mark.parametrize("row", rows(), ids=lambda row: row[0])
def test_every_word_of_the_glossary_is_in_the_code(row):
    _, names, meaning, where = row
    assert meaning
    for name in re.findall(r"`([^`]+)`", names):
        assert re.search(rf"\b{name}\b", ALL) or f"{name}.py" in {p.name for p in SOURCES}, name
    package = ""
    for word, path in re.findall(r"(core|agent|server)?,? ?`([^`]+)`", where):
        package = PACKAGES.get(word, package)
        assert (PROJECT / "src" / package / path).exists() or any(
            str(known).endswith(path) for known in SOURCES
        ), path


def test_decisions_are_numbered_dated_and_listed():
    listed = (PROJECT / "docs" / "decisions" / "README.md").read_text()
    files = sorted((PROJECT / "docs" / "decisions").glob("0*.md"))
    assert [int(file.name[:4]) for file in files] == list(range(1, len(files) + 1))
    for file in files:
        assert file.name in listed
        title, _, date, *_ = file.read_text().splitlines()
        assert title.startswith(f"# {int(file.name[:4])}. ")
        assert re.fullmatch(r"\d{4}-\d\d-\d\d", date), file.name


@pytest.mark.parametrize("page", [*sorted(PROJECT.glob("docs/*.md")), PROJECT / "README.md"])
def test_links_between_documents_lead_somewhere(page):
    for link in re.findall(r"\]\((?!http)([^)#]+)", page.read_text()):
        assert (page.parent / link).exists(), link
