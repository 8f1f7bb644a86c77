"""Addresses of scenes: one scene, one address a room."""

from django.urls import path

from clinamen.scenes import art_views, prepare_views, views

urlpatterns = [
    path("art/<str:sha256>.svg", art_views.vector_picture, name="art-vector"),
    path("art/<str:sha256>/<int:longest>.webp", art_views.reduced_picture, name="art"),
    path("art/<str:sha256>/<int:longest>-<str:mirrored>.webp", art_views.reduced_picture, name="art-mirrored"),
    path("", views.scenes, name="scenes"),
    path("scenes/new/", views.new, name="scene-new"),
    path("scenes/<uuid:pk>/", views.open_scene, name="scene"),
    path("scenes/<uuid:pk>/edit/<str:name>/", views.edit, name="scene-edit"),
    path("scenes/<uuid:pk>/desk/", views.desk, name="scene-desk"),
    path("scenes/<uuid:pk>/seen/", views.seen, name="scene-seen"),
    path("scenes/<uuid:pk>/fixes/", views.fixes, name="scene-fixes"),
    path("scenes/<uuid:pk>/loops/", views.loops, name="scene-loops"),
    path("scenes/<uuid:pk>/lens/", views.lens, name="scene-lens"),
    path("scenes/<uuid:pk>/largest/", views.largest, name="scene-largest"),
    path("scenes/<uuid:pk>/stride/", views.stride, name="scene-stride"),
    path("scenes/<uuid:pk>/history/<str:way>/", views.history, name="scene-history"),
    path("scenes/<uuid:pk>/scene.json", views.document_file, name="scene-document"),
    path("scenes/<uuid:pk>/kept/<int:kept>/take/", views.kept_aside, {"way": "take"}, name="scene-kept-take"),
    path("scenes/<uuid:pk>/kept/<int:kept>/throw/", views.kept_aside, {"way": "throw"}, name="scene-kept-throw"),
    path("scenes/<uuid:pk>/layers/", art_views.add_layers, name="scene-layers"),
    path("scenes/<uuid:pk>/made/<str:key>/<int:longest>.webp", art_views.made_art, name="scene-made"),
    path("scenes/<uuid:pk>/shadow/", art_views.shadow, name="scene-shadow"),
    path("scenes/<uuid:pk>/colour/", art_views.colour, name="scene-colour"),
    path("scenes/<uuid:pk>/room/", art_views.room_for, name="scene-make-room"),
    path("scenes/<uuid:pk>/together/", art_views.together, name="scene-together"),
    path("scenes/<uuid:pk>/font/", art_views.add_font, name="scene-font"),
    path("scenes/<uuid:pk>/actor/", art_views.add_actor, name="scene-actor"),
    path("scenes/<uuid:pk>/look-again/", art_views.look_again, name="scene-look-again"),
    path("scenes/<uuid:pk>/bring-again/", art_views.bring_again, name="scene-bring-again"),
    path("scenes/<uuid:pk>/sources/<int:source_pk>/", art_views.source, name="scene-source"),
    path(
        "scenes/<uuid:pk>/art/<str:layer>/<str:key>/<str:state>/<int:longest>.webp",
        art_views.prepared_art,
        name="scene-art",
    ),
    path(
        "scenes/<uuid:pk>/table/<str:layer>/<str:key>/<int:steps>.webp", prepare_views.table_picture, name="scene-table"
    ),
    path("scenes/<uuid:pk>/band/<str:layer>/<str:key>/<int:index>.png", prepare_views.band_picture, name="scene-band"),
    path("scenes/<uuid:pk>/seam/<str:layer>/<str:key>/<int:index>/", prepare_views.seam, name="scene-seam"),
    path("scenes/<uuid:pk>/spots/<str:layer>/<str:key>/<int:index>/", prepare_views.spots_left, name="scene-spots"),
    path("scenes/<uuid:pk>/step/", prepare_views.new_step, name="scene-step"),
    path("scenes/<uuid:pk>/pick/", prepare_views.pick, name="scene-pick"),
    path("scenes/<uuid:pk>/trim/", prepare_views.trim, name="scene-trim"),
    path("scenes/<uuid:pk>/joint/", prepare_views.joint, name="scene-joint"),
    path("scenes/<uuid:pk>/preparing/", prepare_views.preparing, name="scene-preparing"),
    path("scenes/<uuid:pk>/preparing/<str:key>/<str:way>/", prepare_views.preparation, name="scene-preparation"),
    path("scenes/<uuid:pk>/delete/", views.delete, name="scene-delete"),
    path("scenes/<uuid:pk>/picture.webp", views.picture, name="scene-picture"),
    path("scenes/<uuid:pk>/moment/<int:number>.webp", views.moment, name="scene-moment"),
    path("scenes/<uuid:pk>/<str:room>/", views.room, name="scene-room"),
]
