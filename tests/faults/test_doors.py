"""The doors: who guesses passwords is kept waiting, passwords are kept by Argon2, and the demo user is for this machine alone."""

import os
import subprocess
import sys

import pytest
from django.contrib.auth.hashers import PBKDF2PasswordHasher
from django.test import Client

from tests.conftest import ROOT

RIGHT, LIMIT = "a-long-passphrase", 10
ARGON = ["django.contrib.auth.hashers.Argon2PasswordHasher", "django.contrib.auth.hashers.PBKDF2PasswordHasher"]


def tries(address: str, name: str, password: str) -> tuple[int, str]:
    answer = Client(REMOTE_ADDR=address).post("/sign-in/", {"username": name, "password": password})
    return answer.status_code, answer.content.decode()


def test_who_guesses_is_kept_waiting_and_others_are_not(someone, django_user_model) -> None:
    django_user_model.objects.create_user("bob", password=RIGHT)
    for _ in range(LIMIT - 1):
        assert tries("10.0.0.1", "ada", "wrong")[0] == 200
    status, text = tries("10.0.0.1", "ada", "wrong")
    assert status == 429 and "Wait ten minutes" in text
    assert tries("10.0.0.1", "ada", RIGHT)[0] == 429, "not even with the right one, or guessing would go on"
    assert tries("10.0.0.1", "bob", RIGHT)[0] == 429, "nor by another name from there"
    assert tries("10.0.0.2", "ada", RIGHT)[0] == 302, "the owner signs in from elsewhere"


def test_a_slip_or_two_are_forgotten_when_one_has_signed_in(someone) -> None:
    for _ in range(3):
        for _ in range(LIMIT - 2):
            assert tries("10.0.0.3", "ada", "wrong")[0] == 200
        assert tries("10.0.0.3", "ada", RIGHT)[0] == 302


def test_passwords_are_kept_by_argon2_and_older_ones_are_made_anew(settings, django_user_model) -> None:
    settings.PASSWORD_HASHERS = ARGON
    new = django_user_model.objects.create_user("cleo", password=RIGHT)
    assert new.password.startswith("argon2$argon2id$")
    new.password = PBKDF2PasswordHasher().encode(RIGHT, "salt" * 6)
    new.save()
    assert tries("10.0.0.4", "cleo", RIGHT)[0] == 302
    new.refresh_from_db()
    assert new.password.startswith("argon2$argon2id$")


@pytest.mark.parametrize("header", ["X-Forwarded-For", "Forwarded", "X-Real-IP", "X-Forwarded-Host", "Via"])
def test_the_demo_user_is_for_this_machine_alone(settings, django_user_model, header) -> None:
    settings.DEMO = True
    django_user_model.objects.create_user("demo")
    assert Client(REMOTE_ADDR="127.0.0.1").post("/demo/").status_code == 302
    assert Client(REMOTE_ADDR="10.0.0.5").post("/demo/").status_code == 403
    passed_on = Client(REMOTE_ADDR="127.0.0.1").post("/demo/", headers={header: "127.0.0.1"})
    assert passed_on.status_code == 403
    assert (
        "demo user"
        not in Client(REMOTE_ADDR="127.0.0.1").get("/sign-in/", headers={header: "127.0.0.1"}).content.decode()
    )
    settings.DEMO = False
    assert Client(REMOTE_ADDR="127.0.0.1").post("/demo/").status_code == 403


def test_behind_a_proxy_guesses_are_counted_by_the_address_that_it_saw(client, settings, someone) -> None:
    settings.PROXY, settings.AXES_FAILURE_LIMIT = True, 3
    seen = {
        "HTTP_X_FORWARDED_FOR": "6.6.6.6, 10.0.0.9"
    }  # what the visitor wrote himself stands before what the proxy saw
    for _ in range(3):
        client.post("/sign-in/", {"username": "nobody", "password": "guess"}, **seen)
    asked = {"username": "ada", "password": "a-long-passphrase"}
    assert client.post("/sign-in/", asked, **seen).status_code == 429
    assert client.post("/sign-in/", asked, HTTP_X_FORWARDED_FOR="6.6.6.6, 10.0.0.8").status_code == 302


def test_everything_asked_of_a_deployment_is_there() -> None:
    told = {**os.environ, "CLINAMEN_TLS": "1", "CLINAMEN_PROXY": "1", "CLINAMEN_DEMO": "0"}
    told.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)  # the browser tests' own
    done = subprocess.run(
        [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"],
        check=False, cwd=ROOT, env=told, capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
