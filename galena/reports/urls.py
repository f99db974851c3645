from django.urls import path

from galena.reports import out_views, views

urlpatterns = [
    path("report", views.page, name="report"),
    path("report/write", views.write, name="write-report"),
    path("report/now", views.now, name="report-now"),
    path("report/versions", views.versions, name="report-versions"),
    path("report/versions/<key:version_id>", views.go_back, name="report-back"),
    path("report/opening", views.begin_with, name="begin-report"),
    path("report/openings", views.keep_opening, name="keep-opening"),
    path("report/numbers", views.freeze, name="freeze-report"),
    path("report.pdf", out_views.pdf, name="pdf"),
    path("report.html", out_views.web_page, name="report-html"),
    path("report.zip", out_views.markdown, name="report-markdown"),
    path("report.odt", out_views.odt, name="report-odt"),
]
