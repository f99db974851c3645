"""People, and the lessons that groups belong to."""

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import models
from django.db.models.functions import Lower


class Person(AbstractUser):
    """Someone who signs in, called by their first name; or a group of students in a lesson.

    A group has no password: it comes in by the lesson's code, and back by a word that follows from
    `word_seed` and the server's key, so that the word itself is stored nowhere.
    """

    lesson = models.ForeignKey("Lesson", models.CASCADE, null=True, related_name="groups")
    word_seed = models.CharField(max_length=32, blank=True)
    came_at = models.DateTimeField(null=True, help_text="when a group came in first")
    reads_comma = models.BooleanField(default=False, help_text="sees decimal numbers with a comma")

    class Meta(AbstractUser.Meta):
        constraints = [
            models.UniqueConstraint(
                Lower("first_name"),
                "lesson",
                condition=models.Q(lesson__isnull=False),
                name="one_group_a_name",
            )
        ]

    def __str__(self) -> str:
        return self.first_name or self.username

    @property
    def is_group(self) -> bool:
        """Whether it is a group of students."""
        return self.lesson_id is not None


class Lesson(models.Model):
    """What a class does together: groups come in by its code while its door is open."""

    teacher = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="lessons")
    title = models.CharField(max_length=200)
    code = models.CharField(max_length=12)
    is_open = models.BooleanField(default=True)
    made_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["code"],
                condition=models.Q(ended_at=None),
                name="one_lesson_a_code",
            )
        ]

    def __str__(self) -> str:
        return self.title
