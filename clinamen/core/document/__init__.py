"""The scene document. `parse` reads one, the models say what it may hold, `channels` is the table of all that moves."""

from clinamen.core.document.carrying import Bearer, Carrier, Group, Place, bearers_of
from clinamen.core.document.channels import CAMERA_CHANNELS, CARRIER_CHANNELS, LAYER_CHANNELS, Channel, channels_of
from clinamen.core.document.layer import BLEND_MODES, Anchor, Art, Frames, Framing, Layer, Repeat, Tilt
from clinamen.core.document.motion import (
    EASING_NAMES,
    Drift,
    Drivers,
    Key,
    Linear,
    PointerDriver,
    ScrollDriver,
    TimeDriver,
    Track,
)
from clinamen.core.document.reading import json_schema, parse, parse_text
from clinamen.core.document.scene import (
    FORMAT,
    MAX_LAYERS,
    MAX_VIEW,
    VERSION,
    Camera,
    Lens,
    Scene,
    View,
    described,
)

__all__ = [
    "BLEND_MODES",
    "CAMERA_CHANNELS",
    "CARRIER_CHANNELS",
    "EASING_NAMES",
    "FORMAT",
    "LAYER_CHANNELS",
    "MAX_LAYERS",
    "MAX_VIEW",
    "VERSION",
    "Anchor",
    "Art",
    "Bearer",
    "Camera",
    "Carrier",
    "Channel",
    "Drift",
    "Drivers",
    "Frames", "Framing",
    "Group",
    "Key",
    "Layer",
    "Lens",
    "Linear",
    "Place",
    "PointerDriver",
    "Repeat",
    "Scene",
    "ScrollDriver",
    "Tilt",
    "TimeDriver",
    "Track",
    "View",
    "bearers_of",
    "channels_of",
    "described",
    "json_schema",
    "parse",
    "parse_text",
]  # fmt: skip
