from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "galena.reports"
    label = "reports"

    def ready(self) -> None:
        from galena.reports.parts import register_parts
        from galena.reports.put_ins import register
        from galena.reports.put_ins.graphs import GRAPH
        from galena.reports.put_ins.numbers import FIT
        from galena.reports.put_ins.recorded import CLIP, FACTS, REMARK
        from galena.reports.put_ins.tables import TABLE

        register_parts()
        register(GRAPH, TABLE, FIT, FACTS, CLIP, REMARK)
