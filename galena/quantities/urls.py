from django.urls import path

from galena.quantities import views

urlpatterns = [
    path("quantities", views.page, name="quantities"),
    path("quantities/preview", views.show_preview, name="preview-formula"),
    path("quantities/formulas", views.keep_formula, name="keep-formula"),
    path("quantities/givens", views.keep_given, name="keep-given"),
    path("quantities/<key:quantity_id>", views.keep_quantity, name="keep-quantity"),
    path("quantities/conditions/<key:condition_id>", views.keep_symbol, name="keep-symbol"),
    path("quantities/<key:quantity_id>/show", views.act_on, {"act": "show"}, name="show-quantity"),
    path("quantities/<key:quantity_id>/remove", views.act_on, {"act": "remove"},
         name="remove-quantity"),
    path("quantities/<key:quantity_id>/shift", views.act_on, {"act": "shift"}, name="shift-origin"),
    path("quantities/<key:quantity_id>/reverse", views.act_on, {"act": "reverse"},
         name="reverse-sign"),
]  # fmt: skip
