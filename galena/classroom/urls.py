from django.contrib.auth.views import LogoutView
from django.urls import path

from galena.classroom import views

urlpatterns = [
    path("sign-in", views.SignIn.as_view(), name="sign-in"),
    path("sign-in/demo", views.sign_in_demo, name="sign-in-demo"),
    path("room", views.room, name="room"),
    path("sign-out", LogoutView.as_view(), name="sign-out"),
]
