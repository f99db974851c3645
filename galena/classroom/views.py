"""Signing in, and the one-click sign-in of the demo world."""

from math import ceil

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect
from django.utils.decorators import method_decorator
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from galena.classroom.backend import PATH
from galena.classroom.models import Person
from galena.classroom.patience import PATIENCE
from galena.classroom.people import teachers
from galena.shell.security_log import note

DEMO_TEACHER = "ada"
LONGEST_ADDRESS = 2000


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """The page where a person says who they are."""

    template_name = "classroom/sign_in.html"
    redirect_authenticated_user = True

    def post(self, request, *args, **kwargs):
        """Sign in, unless too many wrong passwords came just now under this name or from here."""
        seconds = PATIENCE.wait(*self._who())
        if seconds > 0:
            note("made to wait", request, who=self._who()[0])
            context = self.get_context_data(form=self.get_form_class()(), seconds=ceil(seconds))
            response = self.render_to_response(context, status=429)
            response["Retry-After"] = str(ceil(seconds))
            return response
        return super().post(request, *args, **kwargs)

    def form_invalid(self, form):
        """Count a wrong password."""
        PATIENCE.failed(*self._who())
        return super().form_invalid(form)

    def form_valid(self, form):
        """Forget what was mistyped before."""
        PATIENCE.succeeded(*self._who())
        return super().form_valid(form)

    def _who(self) -> tuple[str, str]:
        return self.request.POST.get("username", ""), self.request.META.get("REMOTE_ADDR", "")

    def get_context_data(self, **kwargs):
        nobody = not settings.GALENA_DEMO and not teachers().filter(is_active=True).exists()
        return super().get_context_data(demo=settings.GALENA_DEMO, nobody=nobody, **kwargs)


@require_POST
def room(request):
    """Choose how the screens look: for a light room or a dark one."""
    request.session["room"] = "dark" if request.POST.get("room") == "dark" else "light"
    return _back(request)


@require_POST
def decimal_sign(request):
    """Choose how decimal numbers are shown to this person: with a comma, or with a point."""
    request.user.reads_comma = request.POST.get("sign") == "comma"
    request.user.save(update_fields=["reads_comma"])
    return _back(request)


def _back(request):
    back = request.POST.get("back", "")
    own = back.startswith("/") and back.isprintable() and len(back) <= LONGEST_ADDRESS
    if own and url_has_allowed_host_and_scheme(back, allowed_hosts=None):
        return HttpResponseRedirect(back)
    return redirect(settings.LOGIN_REDIRECT_URL)


@login_not_required
@require_POST
def sign_in_demo(request):
    """Sign in the demo world's teacher; there is no such address outside of demo mode."""
    if not settings.GALENA_DEMO:
        raise Http404
    teacher = get_object_or_404(Person, username=DEMO_TEACHER)
    login(request, teacher, backend=PATH)
    return redirect(settings.LOGIN_REDIRECT_URL)
