"""Every address of the application."""

from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_not_required
from django.urls import path

from workbench.jobs import views as jobs
from workbench.samples import report_views as reports
from workbench.samples import views as samples
from workbench.trains import views as trains

urlpatterns = [
    path("login/", auth.LoginView.as_view(template_name="accounts/login.html", redirect_authenticated_user=True), name="login"),
    path("logout/", auth.LogoutView.as_view(), name="logout"),
    path("health/", login_not_required(jobs.health), name="health"),
    path("", jobs.job_list, name="jobs"),
    path("jobs/new/", jobs.job_new, name="job-new"),
    path("jobs/import/", jobs.job_import, name="job-import"),
    path("jobs/<int:pk>/", jobs.job_open, name="job"),
    path("jobs/<int:pk>/site/", jobs.site, name="site"),
    path("jobs/<int:pk>/supply/", jobs.supply, name="supply"),
    path("jobs/<int:pk>/units/", jobs.units, name="units"),
    path("jobs/<int:pk>/delete/", jobs.job_delete, name="job-delete"),
    path("jobs/<int:pk>/job.json", jobs.job_export, name="job-export"),
    path("jobs/<int:pk>/design.json", jobs.design_export, name="design-export"),
    path("jobs/<int:pk>/water/", samples.water, name="water"),
    path("jobs/<int:pk>/water/read/", samples.read_line, name="water-read"),
    path("jobs/<int:pk>/water/samples/", samples.sample_new, name="sample-new"),
    path("jobs/<int:pk>/water/samples/<int:sample>/", samples.sample_edit, name="sample-edit"),
    path("jobs/<int:pk>/water/samples/<int:sample>/delete/", samples.sample_delete, name="sample-delete"),
    path("jobs/<int:pk>/water/samples/<int:sample>/readings/", samples.readings_add, name="readings-add"),
    path("jobs/<int:pk>/water/samples/<int:sample>/readings/<str:analyte>/delete/", samples.reading_delete, name="reading-delete"),
    path("jobs/<int:pk>/water/report/", reports.report_preview, name="report-preview"),
    path("jobs/<int:pk>/water/report/keep/", reports.report_keep, name="report-keep"),
    path("jobs/<int:pk>/samples.csv", reports.samples_csv, name="samples-csv"),
    path("jobs/<int:pk>/train/", trains.train, name="train"),
    path("jobs/<int:pk>/train/edit/", trains.edit, name="train-edit"),
]
