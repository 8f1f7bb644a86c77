"""Addresses of art."""

from django.urls import path

from clinamen.art.views import reduced_picture, vector_picture

urlpatterns = [
    path("art/<str:sha256>.svg", vector_picture, name="art-vector"),
    path("art/<str:sha256>/<int:longest>.webp", reduced_picture, name="art"),
    path("art/<str:sha256>/<int:longest>-<str:mirrored>.webp", reduced_picture, name="art-mirrored"),
]
