"""Signing up, and the demo user for visitors on this machine."""

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.forms import UserCreationForm
from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from clinamen.accounts.loopback import on_loopback

DEMO_USER = "demo"
BACKEND = "django.contrib.auth.backends.ModelBackend"


def sign_up(request: HttpRequest) -> HttpResponse:
    """Make an account and sign in with it."""
    form: UserCreationForm[User] = UserCreationForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        login(request, form.save(), backend=BACKEND)
        return redirect("scenes")
    return render(request, "accounts/sign_up.html", {"form": form}, status=422 if form.errors else 200)


@require_POST
def demo(request: HttpRequest) -> HttpResponse:
    """Sign a visitor on loopback in as the demo user; refused anywhere else and outside demo mode."""
    if not (settings.DEMO and on_loopback(request)):
        raise PermissionDenied("The demo user is only there in demo mode, on this machine")
    login(request, get_user_model().objects.get(username=DEMO_USER), backend=BACKEND)
    return redirect("scenes")
