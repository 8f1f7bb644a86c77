"""No package is pinned at a version that a published advisory names.

The list is this project's own, from memory of the advisories' numbers, to be gone through whenever a version is raised: the newest
advisory known of each package that reads what strangers send, and the first version without it.
"""

import re

import pytest
from packaging.version import Version

from tests.conftest import ROOT

FIRST_SAFE = {
    "Django": ("5.2.9", "CVE-2025-13372, SQL by column aliases on PostgreSQL"),
    "gunicorn": ("22.0.0", "CVE-2024-1135, request smuggling"),
    "pillow": ("11.3.0", "CVE-2025-48379, a write past the end in DDS"),
    "opencv-contrib-python-headless": ("4.8.1.78", "CVE-2023-4863, libwebp"),
    "defusedxml": ("0.6.0", "entities, before it named them all"),
    "sqlparse": ("0.5.0", "CVE-2024-4340, endless recursion"),
    "fonttools": ("4.60.2", "CVE-2025-66034, XML and files written by a designspace"),
    "brotli": ("1.2.0", "CVE-2025-6176, a bomb"),
    "numpy": ("1.22.2", "CVE-2021-41495"),
    "urllib3": ("2.6.0", "CVE-2025-66418, chains of encodings without end"),
    "pydantic": ("2.4.0", "CVE-2024-3772, a slow pattern for e-mail"),
    "argon2-cffi": ("21.2.0", "none known after"),
    "supervisor": ("3.3.3", "CVE-2017-11610, its web interface, which is off here"),
    "fpdf2": ("2.5.7", "none known after"),
    "imagecodecs": ("2023.9.18", "CVE-2023-4863, libwebp"),
    "tifffile": ("2020.1.1", "none known"),
    "svgelements": ("1.9.0", "none known"),
    "whitenoise": ("6.0.0", "none known"),
    "boto3": ("1.0.0", "none known"),
    "django-axes": ("5.4.0", "none known after"),
}


def pinned() -> dict[str, str]:
    return dict(re.findall(r"^([A-Za-z0-9_.-]+)==(\S+)", (ROOT / "requirements.txt").read_text(), re.M))


@pytest.mark.parametrize("package", FIRST_SAFE)
def test_no_package_is_older_than_its_last_known_advisory(package) -> None:
    first, why = FIRST_SAFE[package]
    assert Version(pinned()[package]) >= Version(first), f"{package}: {why}"


def test_every_package_is_pinned_to_one_version() -> None:
    lines = [line for line in (ROOT / "requirements.txt").read_text().splitlines() if line and not line.startswith("#")]
    assert lines and all(re.fullmatch(r"[A-Za-z0-9_.-]+==[0-9][^ ]*", line) for line in lines)
