"""What every response carries."""

from contextvars import ContextVar

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpResponse
from django.utils.decorators import sync_and_async_middleware
from whitenoise.middleware import WhiteNoiseMiddleware

from galena.core.errors import NumberError
from galena.shell.requested import RequestError, refused

asking_window: ContextVar[str] = ContextVar("the window that asks", default="")
LONGEST_WINDOW = 20
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


@sync_and_async_middleware
def content_security_policy(get_response):
    """Allow nothing but what this server ships: no inline script or style, no other place."""

    def sealed(response):
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("Cache-Control", "no-store")  # pages are of who is signed in
        return response

    if iscoroutinefunction(get_response):

        async def waited_for(request):
            return sealed(await get_response(request))

        return waited_for

    def middleware(request):
        return sealed(get_response(request))

    return middleware


@sync_and_async_middleware
def window(get_response):
    """Keep which window of a browser a request comes from."""

    def note(request):
        asking_window.set(request.headers.get("X-Window", "")[:LONGEST_WINDOW])

    if iscoroutinefunction(get_response):

        async def waited_for(request):
            note(request)
            return await get_response(request)

        return waited_for

    def middleware(request):
        note(request)
        return get_response(request)

    return middleware


class Readable:
    """Answer what no view could read with 422 and the reason."""

    sync_capable, async_capable = True, True

    def __init__(self, get_response):
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        """Answer for a view that has raised RequestError, or could not read a number."""
        if isinstance(exception, RequestError | NumberError):
            return refused(request, str(exception))
        return None


class ShippedFiles(WhiteNoiseMiddleware):
    """Serve what ships with Galena in one piece: the files are small, and a file handed on in
    parts by a thread would be collected in memory by the ASGI server anyway."""

    @staticmethod
    def serve(static_file, request):
        """Answer with the whole file, or with what its conditions call for."""
        file_response = static_file.get_response(request.method, request.META)
        content = b""
        if file_response.file is not None:
            with file_response.file as file:
                content = file.read()
        response = HttpResponse(content, status=int(file_response.status))
        del response["Content-Type"]
        for name, value in file_response.headers:
            response[name] = value
        return response
