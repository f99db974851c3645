from django.apps import AppConfig


class ClipsConfig(AppConfig):
    name = "galena.clips"
    label = "clips"

    def ready(self) -> None:
        from galena.clips.kind import Tracked
        from galena.clips.parts import register_parts
        from galena.clips.ties import dock
        from galena.desk import docks
        from galena.experiments.runs import register
        from galena.experiments.sources import Source
        from galena.experiments.sources import register as register_source

        register(Tracked())
        register_parts()
        register_source(Source("Clips", "clips"))
        docks.register(docks.Dock("clips/_dock.html", dock))
