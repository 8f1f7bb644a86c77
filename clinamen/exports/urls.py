"""Addresses of exports."""

from django.urls import path

from clinamen.exports import views

urlpatterns = [
    path("scenes/<uuid:pk>/exports/new/", views.new, name="export-new"),
    path("scenes/<uuid:pk>/exports/", views.listing, name="export-list"),
    path("exports/<uuid:pk>/", views.row, name="export-row"),
    path("exports/<uuid:pk>/cancel/", views.cancel, name="export-cancel"),
    path("exports/<uuid:pk>/standing/", views.standing, name="export-standing"),
    path("exports/<uuid:pk>/first/", views.first, name="export-first"),
    path("exports/<uuid:pk>/retry/", views.retry, name="export-retry"),
    path("exports/<uuid:pk>/discard/", views.discard, name="export-discard"),
    path("exports/<uuid:pk>/file/", views.download, name="export-file"),
    path("exports/<uuid:pk>/<str:what>.play", views.play, name="export-play"),
]
