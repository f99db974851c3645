"""Teachers' accounts: the first one, adding, passwords, taking away."""

import pytest
from django.urls import reverse

from galena.classroom import people
from galena.classroom.elsewhere import person_from_elsewhere
from galena.classroom.models import Person
from galena.classroom.patience import PATIENCE
from galena.classroom.people import FIRST, PersonError
from tests.pages import PageClient

WORD = "skerry-lamps"


@pytest.fixture(autouse=True)
def nothing_open():
    yield
    FIRST._key = ""


@pytest.fixture
def key(db):
    return FIRST.begin()


@pytest.fixture
def staff(ada):
    ada.is_staff = True
    ada.save()
    return ada


def typed(**more):
    return {"name": "ada", "called": "Ada", "password": WORD} | more


def test_the_first_teacher_makes_an_account_and_is_in(client, key):
    address = reverse("first-teacher", args=[key])
    assert "Welcome to Galena" in client.get(address).content.decode()
    response = client.post(address, typed())
    assert (response.status_code, response.url) == (302, reverse("experiments"))
    person = Person.objects.get()
    assert (person.username, str(person), person.is_staff) == ("ada", "Ada", True)
    assert client.get(reverse("experiments")).status_code == 200


def test_the_address_opens_once(client, key):
    address = reverse("first-teacher", args=[key])
    client.post(address, typed())
    assert PageClient().get(address).status_code == 404
    assert PageClient().post(address, typed(name="tern")).status_code == 404
    assert Person.objects.count() == 1
    assert FIRST.begin() == ""


@pytest.mark.parametrize(("wrong", "why"), [
    ({"password": "short"}, "too short"), ({"password": "password"}, "too common"),
    ({"name": " "}, "Type a name"), ({"name": "a" * 61}, "1 to 60 letters"),
    ({"name": "elsewhere-1"}, "is taken"), ({"called": "b" * 61}, "at most 60"),
])  # fmt: skip
def test_what_cannot_be_an_account_is_told_and_the_address_stays_open(client, key, wrong, why):
    address = reverse("first-teacher", args=[key])
    response = client.post(address, typed(**wrong))
    assert response.status_code == 422
    assert why in response.content.decode()
    assert not Person.objects.exists()
    assert client.post(address, typed()).status_code == 302


def test_nothing_is_open_before_and_guesses_wait(client, key):
    assert client.get(reverse("experiments")).status_code == 302
    page = client.get(reverse("sign-in")).content.decode()
    assert "No teacher has an account here yet" in page
    for _ in range(30):
        assert client.get(reverse("first-teacher", args=["guess"])).status_code == 404
    assert client.get(reverse("first-teacher", args=[key])).status_code == 404  # for a while
    PATIENCE.forget()
    assert client.get(reverse("first-teacher", args=[key])).status_code == 200


def test_there_is_no_first_start_once_somebody_can_sign_in(ada):
    assert FIRST.begin() == ""
    assert not FIRST.opens("")
    people.teachers().update(is_active=False)
    assert FIRST.begin() != ""


def test_a_teacher_is_added_and_can_sign_in(as_ada, staff, client):
    page = as_ada.post(
        reverse("add-person"), typed(name="tern", called="Tern"), follow=True
    ).content.decode()
    assert "Tern can sign in as tern." in page
    other = PageClient()
    assert other.post(reverse("sign-in"), {"username": "tern", "password": WORD}).status_code == 302
    assert not Person.objects.get(username="tern").is_staff
    again = as_ada.post(reverse("add-person"), typed(name="TERN"), follow=True)
    assert again.status_code == 422
    assert "“TERN” is taken" in again.content.decode()


def test_a_new_password_signs_out_everywhere_but_here(as_ada, ada):
    other = PageClient()
    other.force_login(ada)
    sent = {"present": "skerry-lamp", "password": "new-skerry-lamp"}
    response = as_ada.post(reverse("new-password", args=[ada.pk]), sent, follow=True)
    assert "Ada has a new password" in response.content.decode()
    assert as_ada.get(reverse("people")).status_code == 200
    assert other.get(reverse("people")).status_code == 302
    ada.refresh_from_db()
    assert ada.check_password("new-skerry-lamp")
    sent = {"present": "new-skerry-lamp", "password": "1"}
    weak = as_ada.post(reverse("new-password", args=[ada.pk]), sent, follow=True)
    assert weak.status_code == 422


def test_ones_own_password_is_changed_with_the_present_one_only(as_ada, ada):
    address = reverse("new-password", args=[ada.pk])
    assert 'autocomplete="current-password"' in as_ada.get(reverse("people")).content.decode()
    for present in ({}, {"present": "guessed"}):
        refused = as_ada.post(address, present | {"password": "new-skerry-lamp"})
        assert refused.status_code == 422
        assert "not your present password" in refused.content.decode()
    for _ in range(4):
        as_ada.post(address, {"present": "guessed", "password": "new-skerry-lamp"})
    waiting = as_ada.post(address, {"present": "skerry-lamp", "password": "new-skerry-lamp"})
    assert "then try again" in waiting.content.decode()
    ada.refresh_from_db()
    assert ada.check_password("skerry-lamp")


def test_only_those_who_look_after_galena_change_others(as_ada, tern):
    assert as_ada.post(reverse("add-person"), typed(name="puffin"), follow=True).status_code == 403
    assert as_ada.post(reverse("take-away", args=[tern.pk]), follow=True).status_code == 403
    response = as_ada.post(
        reverse("new-password", args=[tern.pk]), {"password": "new-skerry-lamp"}, follow=True
    )
    assert response.status_code == 403
    assert "Add a teacher" not in as_ada.get(reverse("people")).content.decode()


def test_who_is_taken_away_is_out_at_once_and_the_work_stays(as_ada, staff, tern):
    theirs = PageClient()
    theirs.force_login(tern)
    assert theirs.get(reverse("experiments")).status_code == 200
    as_ada.post(reverse("take-away", args=[tern.pk]), follow=True)
    assert theirs.get(reverse("experiments")).status_code == 302
    assert Person.objects.filter(pk=tern.pk, is_active=False).exists()
    page = as_ada.post(reverse("let-in-again", args=[tern.pk]), follow=True).content.decode()
    assert "Tern can sign in again" in page
    assert (
        theirs.post(reverse("sign-in"), {"username": "tern", "password": WORD}).status_code == 302
    )


def test_somebody_must_look_after_galena(as_ada, staff, tern):
    page = as_ada.post(reverse("take-away", args=[staff.pk]), follow=True)
    assert "That is you" in page.content.decode()
    with pytest.raises(PersonError, match="is the only one who looks after Galena"):
        people.take_away(staff)
    Person.objects.filter(pk=tern.pk).update(is_staff=True)
    people.take_away(staff)
    assert not Person.objects.get(pk=staff.pk).is_active


def test_people_of_files_and_groups_are_not_on_the_list(as_ada, ada):
    person_from_elsewhere("Puffin")
    assert list(people.teachers()) == [ada]
    assert "Puffin" not in as_ada.get(reverse("people")).content.decode()
