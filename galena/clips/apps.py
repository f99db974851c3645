from django.apps import AppConfig


class ClipsConfig(AppConfig):
    name = "galena.clips"
    label = "clips"

    def ready(self) -> None:
        from galena.clips.docks import beside_graphs, on_record
        from galena.clips.kind import Tracked
        from galena.clips.parts import register_parts
        from galena.clips.pictures import KINDS
        from galena.experiments import docks, pictures
        from galena.experiments.runs import register
        from galena.experiments.sources import Source
        from galena.experiments.sources import register as register_source

        register(Tracked())
        pictures.register(*KINDS)
        register_parts()
        register_source(Source("Clips", "clips"))
        docks.register(docks.Dock("desk", "clips/_dock.html", beside_graphs))
        docks.register(docks.Dock("record", "clips/_camera.html", on_record))
