"""Plain shifting: the same scene with its layers only moved across the view by their rates, to be seen beside perspective."""

from clinamen.core.document import Camera, Scene, Tilt

SHIFTS = frozenset({"x", "y"})  # of the camera: what moves every layer by its rate and does nothing else
STANDS = frozenset({"lean", "turn", "depth"})  # of a layer: what only perspective shows


def plainly_shifted(scene: Scene) -> Scene:
    """The scene whose camera only trucks and rises and whose sheets all face it: without dolly, zoom, pan, tilt, roll, arcs, lean
    and turn. What layers do across the view by themselves they still do."""
    camera = Camera(x=scene.camera.x, y=scene.camera.y, focus=scene.camera.focus)
    tracks = tuple(
        track for track in scene.tracks
        if (track.channel in SHIFTS | {"focus", "aperture"} if track.target == "camera" else track.channel not in STANDS)
    )  # fmt: skip
    layers = tuple(layer.model_copy(update={"tilt": Tilt()}) for layer in scene.layers)
    return scene.model_copy(update={"camera": camera, "tracks": tracks, "layers": layers})
