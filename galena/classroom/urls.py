from django.contrib.auth.views import LogoutView
from django.urls import path

from galena.classroom import people_views, views

urlpatterns = [
    path("sign-in", views.SignIn.as_view(), name="sign-in"),
    path("sign-in/demo", views.sign_in_demo, name="sign-in-demo"),
    path("first/<str:key>", people_views.first_teacher, name="first-teacher"),
    path("people", people_views.people, name="people"),
    path("people/add", people_views.add, name="add-person"),
    path("people/<key:person_id>/password", people_views.new_password, name="new-password"),
    path("people/<key:person_id>/away", people_views.take_away, name="take-away"),
    path("people/<key:person_id>/again", people_views.let_in_again, name="let-in-again"),
    path("room", views.room, name="room"),
    path("decimal-sign", views.decimal_sign, name="decimal-sign"),
    path("sign-out", LogoutView.as_view(), name="sign-out"),
]
