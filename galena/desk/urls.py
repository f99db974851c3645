from django.urls import path

from galena.desk import views

urlpatterns = [
    path("desk", views.page, name="desk"),
    path("desk/data", views.data, name="desk-data"),
    path("desk/at", views.at, name="desk-at"),
    path("desk/ledger", views.show_ledger, name="ledger"),
    path("desk/quantity", views.choose_quantity, name="choose-quantity"),
    path("desk/spans", views.add_span, name="add-span"),
    path("desk/spans/<int:span_id>", views.change_span, name="change-span"),
    path("desk/spans/<int:span_id>/ask", views.ask, name="ask"),
    path("desk/findings/<int:finding_id>/drop", views.drop_finding, name="drop-finding"),
    path("desk/markers", views.add_marker, name="add-marker"),
    path("desk/markers/<int:marker_id>", views.change_marker, name="change-marker"),
    path("desk/readings/<int:number>", views.drawer, name="readings"),
    path("picture.svg", views.picture, name="picture"),
]
