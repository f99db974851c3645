from datetime import timedelta

from django.apps import AppConfig

A_DAY_OF_SCHOOL = timedelta(hours=12)  # groups stay in as long as their lesson, see permissions


class ClassroomConfig(AppConfig):
    name = "galena.classroom"
    label = "classroom"

    def ready(self) -> None:
        """Write down who comes and goes, and end teachers' sessions after a day of school."""
        from django.contrib.auth import signals

        signals.user_logged_in.connect(_came_in)
        signals.user_logged_out.connect(_went)
        signals.user_login_failed.connect(_wrong_password)


def _came_in(sender, request, user, **_) -> None:
    from galena.shell.security_log import note

    if not user.is_group and hasattr(request, "session"):
        request.session.set_expiry(A_DAY_OF_SCHOOL)
    note("came in", request, who=user.username)


def _went(sender, request, user, **_) -> None:
    from galena.shell.security_log import note

    note("signed out", request, who=getattr(user, "username", ""))


def _wrong_password(sender, credentials, request=None, **_) -> None:
    from galena.shell.security_log import note

    note("wrong password", request, who=credentials.get("username", ""))
