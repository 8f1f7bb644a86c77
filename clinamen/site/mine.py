"""What an account has: shown, its e-mail changed, all of it downloaded, all of it deleted."""

import json
import tempfile
import zipfile
from collections.abc import Iterator
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth import logout
from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.core.exceptions import ValidationError
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from clinamen.accounts.views import DEMO_USER
from clinamen.art import store
from clinamen.core.errors import ClinamenError
from clinamen.core.exchange.names import id_from_name
from clinamen.exports.actions.sweep import throw_away
from clinamen.scenes import quota
from clinamen.scenes.access import owner_of
from clinamen.scenes.models import Comment, Scene, SceneArt

AT_ONCE = 64_000_000  # bytes of a download held in memory, more goes to disk


class WithPassword(forms.Form):
    """A form that who sits at the machine must sign with the password."""

    password = forms.CharField(widget=forms.PasswordInput(attrs={"autocomplete": "current-password"}), label="Password")

    def __init__(self, user: User, data: Any = None) -> None:
        self.user = user
        super().__init__(data)

    def clean_password(self) -> str:
        password = str(self.cleaned_data["password"])
        if not self.user.check_password(password):
            raise ValidationError("The password is not right")
        return password


class EmailForm(WithPassword):
    """Another e-mail address."""

    field_order = ("email", "password")
    email = forms.EmailField(required=False, label="E-mail", help_text="left empty, none is kept")


class DeleteForm(WithPassword):
    """Deleting everything: the name is typed, too."""

    field_order = ("name", "password")
    name = forms.CharField(label="Your name, to be sure", max_length=150)

    def clean_name(self) -> str:
        if self.cleaned_data["name"] != self.user.username:
            raise ValidationError(f"Type {self.user.username} to delete this account")
        return self.user.username


@login_required
@require_GET
def account(request: HttpRequest) -> HttpResponse:
    """The account's page."""
    return _shown(request)


def _shown(request: HttpRequest, status: int = 200, **forms_: forms.Form) -> HttpResponse:
    user = owner_of(request)
    told: dict[str, Any] = {"used": quota.used(user), "most": _most(), "demo_user": user.username == DEMO_USER}
    told |= {"email_form": EmailForm(user), "delete_form": DeleteForm(user), **forms_}
    told["email_form"].fields["email"].initial = user.email
    return render(request, "accounts/account.html", told, status=status)


def _most() -> dict[str, Any]:
    from django.conf import settings

    return {"bytes": int(settings.QUOTA_GIGABYTES * 1e9), "scenes": settings.QUOTA_SCENES}


@login_required
@require_POST
def email(request: HttpRequest) -> HttpResponse:
    """Change the e-mail address."""
    user = owner_of(request)
    form = EmailForm(user, request.POST)
    if not form.is_valid():
        return _shown(request, 422, email_form=form)
    User.objects.filter(pk=user.pk).update(email=form.cleaned_data["email"])
    messages.info(request, f"Your e-mail address is {form.cleaned_data['email'] or 'not kept any more'} now")
    return redirect("account")


@login_required
@require_POST
def delete(request: HttpRequest) -> HttpResponse:
    """Delete the account with all that is its own. What it said of others' scenes stays, without its name."""
    user = owner_of(request)
    form = DeleteForm(user, request.POST)
    if user.username == DEMO_USER:
        form.add_error(None, "The demo user stays")
    if not form.is_valid():
        return _shown(request, 422, delete_form=form)
    for scene in Scene.every.filter(owner=user):
        throw_away(scene)
    logout(request)
    user.delete()
    messages.info(request, "Your account and all that was yours is deleted")
    return redirect("sign-in")


@login_required
@require_POST
def download(request: HttpRequest) -> FileResponse:
    """All that an account has as a ZIP: a folder a scene, as the command line reads it, with what was said of it."""
    user = owner_of(request)
    out = tempfile.SpooledTemporaryFile(max_size=AT_ONCE)  # noqa: SIM115  (closed by the answer)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        said = list(Comment.objects.filter(author=user).values("scene__title", "text", "created"))
        told = {"name": user.username, "email": user.email, "joined": user.date_joined, "comments": said}
        archive.writestr("account.json", json.dumps(told, indent=1, default=str, ensure_ascii=False))
        taken: set[str] = set()
        for scene in Scene.every.filter(owner=user).select_related("head"):
            folder = id_from_name(scene.title, taken)
            taken.add(folder)
            for name, data in _files(scene):
                archive.writestr(f"{folder}/{name}", data)
    out.seek(0)
    return FileResponse(
        out, as_attachment=True, filename=f"clinamen-{user.username}.zip", content_type="application/zip"
    )


def _files(scene: Scene) -> Iterator[tuple[str, bytes]]:
    """A scene's document, its states, its art, the files that came, and what was said of it."""
    assert scene.head is not None
    yield "scene.json", json.dumps(scene.head.document, indent=1, ensure_ascii=False).encode()
    states = scene.revisions.values("number", "says", "name", "created", "author__username")
    yield "history.json", json.dumps(list(states), indent=1, default=str, ensure_ascii=False).encode()
    comments = scene.comments.values("author__username", "text", "layer", "created")
    yield "comments.json", json.dumps(list(comments), indent=1, default=str, ensure_ascii=False).encode()
    for art in SceneArt.objects.filter(scene=scene).select_related("picture"):
        try:
            yield art.file, store.read(art.picture, art.file)
        except ClinamenError as error:
            yield f"{art.file}.lost.txt", str(error).encode()
    came = [(row.name, row.sha256) for row in scene.sources.all()] + [
        (row.file, row.sha256) for row in scene.fonts.all()
    ]
    for index, (name, sha256) in enumerate(came):
        data = store.read_original(sha256)
        if data is not None:
            yield f"brought-in/{index + 1:03d}-{name.replace('/', '-')}", data
