import pytest

pytestmark = pytest.mark.django_db


def test_everything_but_the_gate_asks_who_you_are(client) -> None:
    for address in ("/", "/password/"):
        assert client.get(address)["Location"].startswith("/sign-in/")
    assert client.post("/scenes/new/")["Location"].startswith("/sign-in/")


def test_sign_up_sign_out_sign_in_and_change_the_password(client, django_user_model) -> None:
    answer = client.post("/sign-up/", {"username": "ida", "password1": "pale-reef-21", "password2": "pale-reef-21"})
    assert answer["Location"] == "/" and client.get("/").status_code == 200
    changed = {"old_password": "pale-reef-21", "new_password1": "lit-water-34", "new_password2": "lit-water-34"}
    assert client.post("/password/", changed)["Location"] == "/password/done/"
    client.post("/sign-out/")
    assert client.get("/").status_code == 302
    wrong = client.post("/sign-in/", {"username": "ida", "password": "pale-reef-21"})
    assert "enter a correct username" in wrong.content.decode()
    assert client.post("/sign-in/", {"username": "ida", "password": "lit-water-34"})["Location"] == "/"


def test_a_bad_sign_up_says_why_and_keeps_the_name(client) -> None:
    answer = client.post("/sign-up/", {"username": "ida", "password1": "12345678", "password2": "12345678"})
    text = answer.content.decode()
    assert answer.status_code == 422 and 'value="ida"' in text and "too common" in text


def test_one_click_demo_only_in_demo_mode_on_loopback(client, settings, django_user_model) -> None:
    django_user_model.objects.create_user("demo")
    settings.DEMO = False
    assert client.post("/demo/").status_code == 403
    settings.DEMO = True
    assert "Look around as the demo user" in client.get("/sign-in/").content.decode()
    assert client.post("/demo/", REMOTE_ADDR="203.0.113.9").status_code == 403
    assert client.post("/demo/", HTTP_X_FORWARDED_FOR="203.0.113.9").status_code == 403
    assert client.post("/demo/")["Location"] == "/" and client.get("/").status_code == 200


def test_pages_carry_a_strict_policy(client) -> None:
    policy = client.get("/sign-in/")["Content-Security-Policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy
