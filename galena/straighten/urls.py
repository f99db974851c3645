from django.urls import path

from galena.straighten import views

urlpatterns = [
    path("sheets/<key:sheet_id>/straighten", views.page, name="straighten"),
    path("sheets/<key:sheet_id>/straighten/keep", views.keep_it, name="keep-straight"),
    path("sheets/<key:sheet_id>/straighten/guidance", views.guide, name="straighten-guidance"),
]
