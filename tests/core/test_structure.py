"""The house stands as its plan says: every folder of code is a package, so that contracts and types see it."""

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
