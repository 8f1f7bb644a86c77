"""Addresses."""

from django.urls import include, path

from clinamen.site.ready import alive, ready

handler500 = "clinamen.site.faults.fault"
urlpatterns = [
    path("alive/", alive, name="alive"),
    path("ready/", ready, name="ready"),
    path("", include("clinamen.accounts.urls")),
    path("", include("clinamen.exports.urls")),
    path("", include("clinamen.scenes.urls")),
]
