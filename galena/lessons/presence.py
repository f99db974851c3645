"""Notes at which page a group is, from what its pages ask for; in memory only."""

from asgiref.sync import iscoroutinefunction
from django.utils.decorators import sync_and_async_middleware

from galena.lessons.live import PRESENCE, tell_teacher

PAGES = {
    "my-lesson": "the task",
    "bench": "the Bench",
    "record": "Record",
    "desk": "the Desk",
    "quantities": "the Desk",
    "straighten": "the Desk",
    "report": "the Report",
    "clip": "a clip",
}


@sync_and_async_middleware
def presence(get_response):
    """Note where the group is that asks."""

    def note(request) -> None:
        person = getattr(request, "user", None)
        if person is None or not person.is_authenticated or not person.is_group:
            return
        match = request.resolver_match
        page = PAGES.get(match.url_name or "", "") if match is not None else ""
        if PRESENCE.note(person.pk, page if not getattr(request, "htmx", False) else ""):
            tell_teacher(person.lesson_id)

    if iscoroutinefunction(get_response):

        async def waited_for(request):
            response = await get_response(request)
            if request.resolver_match is not None and request.resolver_match.url_name != "events":
                from asgiref.sync import sync_to_async

                await sync_to_async(note)(request)
            return response

        return waited_for

    def middleware(request):
        response = get_response(request)
        note(request)
        return response

    return middleware
