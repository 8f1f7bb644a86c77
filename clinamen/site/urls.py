"""Addresses."""

from django.urls import include, path

from clinamen.site import mine
from clinamen.site.ready import alive, ready

handler500 = "clinamen.site.faults.fault"
urlpatterns = [
    path("alive/", alive, name="alive"),
    path("ready/", ready, name="ready"),
    path("account/", mine.account, name="account"),
    path("account/e-mail/", mine.email, name="account-email"),
    path("account/delete/", mine.delete, name="account-delete"),
    path("account/download/", mine.download, name="account-download"),
    path("", include("clinamen.accounts.urls")),
    path("", include("clinamen.exports.urls")),
    path("", include("clinamen.scenes.urls")),
]
