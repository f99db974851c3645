from django.contrib.auth.models import AbstractUser


class Person(AbstractUser):
    """Someone who signs in; called by their first name."""

    def __str__(self) -> str:
        return self.first_name or self.username
