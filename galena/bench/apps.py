from django.apps import AppConfig
from django.contrib.auth.signals import user_logged_out


class BenchConfig(AppConfig):
    name = "galena.bench"
    label = "bench"

    def ready(self) -> None:
        from galena.bench import checks  # noqa: F401 - registers itself

        user_logged_out.connect(_end_feeds, dispatch_uid="live feeds end with the session")


def _end_feeds(sender, request, **_) -> None:
    """End what was opened in a session that ends."""
    from galena.bench.live.bench import BENCH

    BENCH.hub.end_session(request.session.session_key or "")
