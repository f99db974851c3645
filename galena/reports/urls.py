from django.urls import path

from galena.reports import views

urlpatterns = [
    path("report", views.page, name="report"),
    path("report.pdf", views.pdf, name="pdf"),
]
