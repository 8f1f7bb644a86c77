"""Signed-in visitors and scenes in the database; art goes to a folder of the test's own."""

import io
from functools import cache
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from clinamen.core.pictures.encoding import encode_png
from tests.conftest import noise


@pytest.fixture(autouse=True)
def own_store(settings: Any, tmp_path: Any) -> None:
    settings.VAR = tmp_path
    # one sign-in a test: the real hasher is slow on purpose
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    settings.STORAGES = {**settings.STORAGES, "default": {
        "BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": tmp_path / "store"},
    }}  # fmt: skip


@pytest.fixture
def someone(django_user_model: Any) -> Any:
    return django_user_model.objects.create_user("ada", password="a-long-passphrase")


@pytest.fixture
def visitor(client: Client, someone: Any) -> Client:
    client.force_login(someone)
    return client


@cache
def png(width: int = 400, height: int = 240, seed: int = 1, clear_left: int = 0) -> bytes:
    art = noise(width, height, seed)
    art[:, :clear_left, 3] = 0
    return encode_png(art, level=1)


def upload(name: str, data: bytes) -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data)


@pytest.fixture
def made(visitor: Client, someone: Any) -> Any:
    """A scene of three layers in a view of 320 × 180."""
    files = [upload(f"{i}-{name}.png", png(seed=i)) for i, name in ((1, "back"), (2, "middle"), (3, "front"))]
    answer = visitor.post("/scenes/new/", {"title": "Three", "width": "320", "height": "180", "files": files})
    assert answer.status_code == 302
    return someone.scenes.get()


def stage_of(answer: Any) -> dict[str, Any]:
    """The stage data of a parts answer."""
    import json
    import re

    text = answer.content.decode()
    found = re.search(r'<script [^>]*id="stage-data"[^>]*>(.*?)</script>', text, re.S)
    assert found
    stage = json.loads(found.group(1))
    styles = [text for name, text in stage.items() if name.startswith("css/")]
    return {**stage, "css": "\n".join(styles)}


def picture_of(answer: Any) -> np.ndarray:
    from PIL import Image

    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"))
