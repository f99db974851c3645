"""Settings of the bench that can be wrong, told when Galena starts."""

from django.conf import settings
from django.core.checks import Error, register

from galena.instruments import address
from galena.instruments.errors import AddressError
from galena.instruments.rigs import RIGS


@register()
def check_what_is_plugged_in(app_configs, **options) -> list[Error]:
    """Refuse rigs that there are not, and stand-ins whose address cannot be read."""
    errors = [
        Error(
            f"GALENA_RIGS names “{rig}”, and there is no such rig.",
            hint=f"The rigs are {', '.join(RIGS)}.",
            id="bench.E001",
        )
        for rig in settings.GALENA_RIGS
        if rig not in RIGS
    ]
    for where in settings.GALENA_STAND_INS:
        try:
            address.parse(where)
        except AddressError as error:
            hint = "Separate several by spaces."
            errors.append(Error(f"GALENA_STAND_INS: {error}", hint=hint, id="bench.E002"))
    return errors
