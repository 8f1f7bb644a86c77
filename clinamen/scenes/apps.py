"""The application of scenes: where it starts, the core learns who holds the fonts that were brought in."""

from django.apps import AppConfig


class ScenesConfig(AppConfig):
    name = "clinamen.scenes"

    def ready(self) -> None:
        from clinamen.core.made.fontfile import FINDERS
        from clinamen.scenes.actions.bring_font import find

        FINDERS.append(find)
