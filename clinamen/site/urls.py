"""Addresses."""

from django.http import HttpResponse
from django.urls import include, path

urlpatterns = [
    path("alive/", lambda request: HttpResponse("alive"), name="alive"),
    path("", include("clinamen.accounts.urls")),
    path("", include("clinamen.exports.urls")),
    path("", include("clinamen.scenes.urls")),
]
