"""A scene of the bench's kept in the application for as long as it is measured, whoever looks at it signed in."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import Client

import bench.ready  # noqa: F401  (before models are imported)
from bench.scenes import art
from clinamen.art import store
from clinamen.core.document import Scene as Document
from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes.models import Revision, Scene, SceneArt


def show(row: Scene, made: Document) -> None:
    """Have a kept scene stand at another document."""
    row.head = Revision.objects.create(scene=row, document=made.to_json(), says="bench")
    row.save()


@contextmanager
def kept(made: Document) -> Iterator[tuple[Scene, Client]]:
    """The scene, its layers' art that of the bench, and a client that is signed in; both are gone after."""
    user, _ = get_user_model().objects.get_or_create(username="bench")
    row = Scene.objects.create(owner=user, title="Bench")
    for index, layer in enumerate(made.layers):
        picture = store.keep(encode_png(art(index), level=1), layer.art.file)
        SceneArt.objects.create(scene=row, file=layer.art.file, picture=picture)
    show(row, made)
    client = Client()
    client.force_login(user)
    try:
        yield row, client
    finally:
        row.delete()


@contextmanager
def opened(client: Client, address: str) -> Iterator[Any]:
    """A page of Chromium's, signed in as the client is."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell")
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        name = settings.SESSION_COOKIE_NAME
        context.add_cookies([{"name": name, "value": client.cookies[name].value, "url": address}])
        yield context.new_page()
        browser.close()
