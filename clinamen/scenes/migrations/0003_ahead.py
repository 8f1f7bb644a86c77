"""Redo by a pointer of each revision, in place of a tip from which the chain had to be walked."""

import django.db.models.deletion
from django.db import migrations, models


def point_ahead(apps, schema_editor):
    """Every revision from a scene's tip back is what its parent leads to."""
    scene_model, revision_model = apps.get_model("scenes", "Scene"), apps.get_model("scenes", "Revision")
    for scene in scene_model.objects.exclude(tip=None):
        parents = dict(revision_model.objects.filter(scene=scene).values_list("pk", "parent_id"))
        at = scene.tip_id
        while at is not None and parents.get(at) is not None:
            revision_model.objects.filter(pk=parents[at]).update(ahead_id=at)
            at = parents[at]


class Migration(migrations.Migration):
    dependencies = [("scenes", "0002_prepared_art")]

    operations = [
        migrations.AddField(
            model_name="revision",
            name="ahead",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="scenes.revision"
            ),
        ),
        migrations.RunPython(point_ahead, migrations.RunPython.noop),
        migrations.RemoveField(model_name="scene", name="tip"),
    ]
