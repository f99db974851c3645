"""What every response carries."""

from asgiref.sync import iscoroutinefunction
from django.utils.decorators import sync_and_async_middleware

POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


@sync_and_async_middleware
def content_security_policy(get_response):
    """Allow nothing but what this server ships: no inline script or style, no other place."""

    def sealed(response):
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response

    if iscoroutinefunction(get_response):

        async def middleware(request):
            return sealed(await get_response(request))

    else:

        def middleware(request):
            return sealed(get_response(request))

    return middleware
