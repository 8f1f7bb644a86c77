"""Jobs of the worker. A job is committed with the row it belongs to, so none is lost and none runs for nothing."""

from procrastinate.contrib.django import app

from clinamen.exports.actions.make import make
from clinamen.exports.models import Export


@app.task(name="exports.make", queue="exports")
def make_export(export_id: str) -> None:
    """Make one export."""
    export = Export.objects.select_related("revision", "scene").filter(pk=export_id).first()
    if export is not None:
        make(export)
