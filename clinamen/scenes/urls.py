"""Addresses of scenes: one scene, one address a room."""

from django.urls import path

from clinamen.scenes import views

urlpatterns = [
    path("", views.scenes, name="scenes"),
    path("scenes/new/", views.new, name="scene-new"),
    path("scenes/<uuid:pk>/", views.open_scene, name="scene"),
    path("scenes/<uuid:pk>/edit/<str:name>/", views.edit, name="scene-edit"),
    path("scenes/<uuid:pk>/desk/", views.desk, name="scene-desk"),
    path("scenes/<uuid:pk>/fixes/", views.fixes, name="scene-fixes"),
    path("scenes/<uuid:pk>/history/<str:way>/", views.history, name="scene-history"),
    path("scenes/<uuid:pk>/extend/", views.extend, name="scene-extend"),
    path("scenes/<uuid:pk>/layers/", views.add_layers, name="scene-layers"),
    path("scenes/<uuid:pk>/delete/", views.delete, name="scene-delete"),
    path("scenes/<uuid:pk>/picture.webp", views.picture, name="scene-picture"),
    path("scenes/<uuid:pk>/moment/<int:number>.webp", views.moment, name="scene-moment"),
    path("scenes/<uuid:pk>/<str:room>/", views.room, name="scene-room"),
]
