"""Make: build an export of a revision and pack it; run by the worker."""

import io
import zipfile
from typing import Any

from django.utils import timezone

from clinamen.art.store import write
from clinamen.core import document
from clinamen.core.errors import ClinamenError
from clinamen.core.exchange import enginekit, openraster, webpage
from clinamen.core.exchange.names import id_from_name
from clinamen.exports.models import Export
from clinamen.scenes.shelf import pictures_of, shelf_of


def make(export: Export) -> None:
    """Build, pack and keep an export; what goes wrong is said on its row."""
    started = Export.objects.filter(pk=export.pk, status__in=(Export.Status.WAITING, Export.Status.WORKING)).update(
        status=Export.Status.WORKING
    )
    if not started:
        return
    export.refresh_from_db()
    try:
        scene = document.parse(export.revision.document)
        files = _build(export.kind, export.options, scene, shelf_of(pictures_of(export.scene), scene))
        stem = id_from_name(scene.title, ())
        if export.kind == "layered":
            (data,), name = files.values(), f"{stem}.ora"
        else:
            data, name = _zip(files, f"{stem}-{export.kind}"), f"{stem}-{export.kind}.zip"
        export.file = f"exports/{export.pk}/{name}"
        write(export.file, data)
        export.size = len(data)
        export.contents = [[file, len(content)] for file, content in sorted(files.items())]
        export.status = Export.Status.DONE
    except ClinamenError as error:
        export.status, export.says = Export.Status.FAILED, str(error)[:500]
    except Exception:
        export.status, export.says = Export.Status.FAILED, "The export failed by a fault of the program; try it again"
        raise
    finally:
        export.finished = timezone.now()
        Export.objects.filter(pk=export.pk, status=Export.Status.WORKING).update(
            **{f: getattr(export, f) for f in ("status", "says", "file", "size", "contents", "finished")}
        )


def _build(kind: str, options: dict[str, Any], scene: document.Scene, shelf: Any) -> dict[str, bytes]:
    if kind == "web":
        return webpage.build(scene, shelf, webpage.WebOptions(options.get("fit", "cover")))
    if kind == "engine":
        kit = enginekit.KitOptions(
            options.get("pixels_per_metre", 100.0), options.get("page_size", 4096), options.get("power_of_two", False)
        )
        return enginekit.build(scene, shelf, kit)
    return {f"{id_from_name(scene.title, ())}.ora": openraster.write(scene, shelf)}


def _zip(files: dict[str, bytes], folder: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            stored = name.endswith((".png", ".webp"))
            archive.writestr(f"{folder}/{name}", data, zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED)
    return out.getvalue()
