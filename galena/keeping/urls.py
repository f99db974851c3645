from django.urls import path

from galena.keeping import views

urlpatterns = [
    path("kept", views.kept, name="kept"),
    path("kept/back-up", views.back_up, name="back-up"),
    path("kept/backups/<str:name>", views.backup_file, name="backup-file"),
    path("experiments/<key:experiment_id>/remove", views.remove, name="remove-experiment"),
    path("kept/experiments/<key:experiment_id>/back", views.bring_back, name="bring-back"),
    path("kept/experiments/<key:experiment_id>/delete", views.delete, name="delete-experiment"),
    path("kept/runs/<key:run_id>/back", views.bring_run_back, name="bring-run-back"),
]
