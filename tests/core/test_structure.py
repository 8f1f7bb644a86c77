"""The house stands as its plan says: every folder of code is a package, so that contracts and types see it."""

import re

from tests.conftest import ROOT


def test_every_folder_with_code_is_a_package() -> None:
    folders = {path.parent for path in (ROOT / "clinamen").rglob("*.py") if "static" not in path.parts}
    assert [str(folder) for folder in folders if not (folder / "__init__.py").exists()] == []


def test_every_module_says_its_one_idea_first() -> None:
    silent = [
        str(path) for path in (ROOT / "clinamen").rglob("*.py")
        if path.read_text().strip() and not path.read_text().startswith('"""') and "migrations" not in path.parts
    ]  # fmt: skip
    assert silent == []


def test_no_field_that_is_typed_is_called_as_a_hidden_one_that_goes_along() -> None:
    """Forms send the hidden fields of the page with their own: one name for both would send the wrong value."""
    templates = ROOT / "clinamen/scenes/templates"
    hidden = set(re.findall(r'name="(\w+)"', (templates / "scenes/choice.html").read_text()))
    assert {"many", "stops", "base"} <= hidden
    typed = {
        (name, path.name)
        for path in templates.rglob("*.html")
        if path.name not in ("choice.html", "stuck.html")  # where nothing is drawn, nothing goes along
        for name in re.findall(r'<(?:input|select|textarea)[^>]* name="(\w+)"', path.read_text())
    }
    assert {(name, file) for name, file in typed if name in hidden} == set()
