"""Every address of the application."""

from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_not_required
from django.urls import include, path
from django.views.decorators.csrf import csrf_exempt

from workbench import words
from workbench.accounts import log_in
from workbench.accounts import people_views as people
from workbench.accounts import views as accounts
from workbench.catalogues import views as catalogues
from workbench.customers import file_views as site_files
from workbench.customers import views as customers
from workbench.issues import views as issues
from workbench.jobs import history_views as job_history
from workbench.jobs import present
from workbench.jobs import views as jobs
from workbench.logs import calendar_views as log_calendar
from workbench.logs import door_views as log_doors
from workbench.logs import views as logs
from workbench.samples import firm_kit_views as firm_kits
from workbench.samples import history_views as history
from workbench.samples import kit_views as kits
from workbench.samples import report_views as reports
from workbench.samples import views as samples
from workbench.starts import views as starts
from workbench.supplies import views as supplies
from workbench.trains import choice_views as choices
from workbench.trains import option_views as options
from workbench.trains import views as trains
from workbench.walls import file_views as wall_files
from workbench.walls import views as walls
from workbench.years import views as years

handler400 = "workbench.error_views.bad_request"
handler403 = "workbench.error_views.forbidden"
handler404 = "workbench.error_views.not_found"
handler500 = "workbench.error_views.failed"

urlpatterns = [
    path("login/", log_in.LOG_IN, name="login"),
    path("login/again/", log_in.again_paced, name="login-again"),
    path("logout/", auth.LogoutView.as_view(), name="logout"),
    path("health/", login_not_required(jobs.health), name="health"),
    path("", jobs.job_list, name="jobs"),
    path("words/", login_not_required(words.page), name="words"),
    path("firm/", accounts.firm, name="firm"),
    path("firm/mark/", accounts.firm_mark, name="firm-mark"),
    path("account/", include("workbench.accounts.account_urls")),
    path("people/", people.shelf, name="people"),
    path("join/<str:secret>/", people.join, name="join"),
    path("firm/open/", people.open_firm, name="firm-open"),
    path("firm/kits/", firm_kits.kit_shelf, name="firm-kits"),
    path("firm/kits/copy/", firm_kits.kit_copy, name="firm-kit-copy"),
    path("firm/kits/<int:pk>/", firm_kits.kit_edit, name="firm-kit"),
    path("customers/", customers.shelf, name="customers"),
    path("customers/<int:pk>/customer.json", customers.file, name="customer-file"),
    path("customers/<int:pk>/remove/", customers.remove, name="customer-remove"),
    path("jobs/<int:pk>/site/files/", site_files.files, name="site-files"),
    path("jobs/<int:pk>/site/files/<int:file>/", site_files.file, name="site-file"),
    path("jobs/<int:pk>/customer/", customers.of_job, name="job-customer"),
    path("catalogues/", catalogues.shelf, name="catalogues"),
    path("catalogues/<int:pk>/", catalogues.table, name="catalogue"),
    path("catalogues/<int:pk>/send/", catalogues.send, name="catalogue-send"),
    path("catalogues/<int:pk>/retire/", catalogues.retire, name="catalogue-retire"),
    path("catalogues/<int:pk>/catalogue.json", catalogues.file, {"ending": "json"}, name="catalogue-json"),
    path("catalogues/<int:pk>/catalogue.csv", catalogues.file, {"ending": "csv"}, name="catalogue-csv"),
    path("catalogues/<int:pk>/catalogue.xlsx", catalogues.file, {"ending": "xlsx"}, name="catalogue-xlsx"),
    path("catalogues/sheets/<int:pk>/", catalogues.sheet, name="catalogue-sheet"),
    path("jobs/<int:pk>/catalogue/", catalogues.choose, name="job-catalogue"),
    path("jobs/at-once/", jobs.jobs_at_once, name="jobs-at-once"),
    path("jobs/views/", jobs.jobs_views, name="jobs-views"),
    path("jobs/new/", jobs.job_new, name="job-new"),
    path("jobs/import/", jobs.job_import, name="job-import"),
    path("jobs/<int:pk>/", jobs.job_open, name="job"),
    path("history/", job_history.firm_history, name="firm-history"),
    path("jobs/<int:pk>/history/", job_history.history, name="job-history"),
    path("jobs/<int:pk>/site/", jobs.site, name="site"),
    path("jobs/<int:pk>/present/", login_not_required(present.here), name="present"),
    path("jobs/<int:pk>/supply/", supplies.supply, name="supply"),
    path("jobs/<int:pk>/supply/what-if/", supplies.what_if_page, name="supply-what-if"),
    path("jobs/<int:pk>/supply/pump/", supplies.pump, name="supply-pump"),
    path("jobs/<int:pk>/supply/measure/", supplies.measure, name="measure"),
    path("jobs/<int:pk>/units/", jobs.units, name="units"),
    path("jobs/<int:pk>/duplicate/", jobs.job_duplicate, name="job-duplicate"),
    path("jobs/<int:pk>/archive/", jobs.job_archive, name="job-archive"),
    path("jobs/<int:pk>/put-back/", jobs.job_put_back, name="job-put-back"),
    path("jobs/<int:pk>/delete/", jobs.job_delete, name="job-delete"),
    path("jobs/<int:pk>/job.json", jobs.job_export, name="job-export"),
    path("jobs/<int:pk>/design.json", jobs.design_export, name="design-export"),
    path("jobs/<int:pk>/water/", samples.water, name="water"),
    path("jobs/<int:pk>/water/tests/", samples.tests_next, name="water-tests"),
    path("jobs/<int:pk>/water/read/", samples.read_line, name="water-read"),
    path("jobs/<int:pk>/water/samples/", samples.sample_new, name="sample-new"),
    path("jobs/<int:pk>/water/samples/<int:sample>/", samples.sample_edit, name="sample-edit"),
    path("jobs/<int:pk>/water/samples/<int:sample>/delete/", samples.sample_delete, name="sample-delete"),
    path("jobs/<int:pk>/water/samples/<int:sample>/readings/", samples.readings_add, name="readings-add"),
    path("jobs/<int:pk>/water/samples/<int:sample>/readings/<str:analyte>/delete/", samples.reading_delete, name="reading-delete"),
    path("jobs/<int:pk>/water/samples/<int:sample>/table/", samples.readings_table, name="readings-table"),
    path("jobs/<int:pk>/water/says/", history.says, name="water-says"),
    path("jobs/<int:pk>/water/history/", history.over_time, name="water-history"),
    path("jobs/<int:pk>/water/value/", history.value, name="water-value"),
    path("jobs/<int:pk>/water/basis/", history.basis, name="water-basis"),
    path("jobs/<int:pk>/water/kits/", kits.kit_list, name="kits"),
    path("jobs/<int:pk>/water/kits/open/", kits.kit_open, name="kit-open"),
    path("jobs/<int:pk>/water/kits/<int:session>/", kits.kit_session, name="kit-session"),
    path("jobs/<int:pk>/water/kits/<int:session>/<slug:test>/start/", kits.kit_act, {"act": "start"}, name="kit-start"),
    path("jobs/<int:pk>/water/kits/<int:session>/<slug:test>/answer/", kits.kit_act, {"act": "answer"}, name="kit-answer"),
    path("jobs/<int:pk>/water/kits/<int:session>/<slug:test>/again/", kits.kit_act, {"act": "again"}, name="kit-again"),
    path("jobs/<int:pk>/water/report/", reports.report_preview, name="report-preview"),
    path("jobs/<int:pk>/water/reports/<int:report>/", reports.report_read, name="report-read"),
    path("jobs/<int:pk>/water/reports/<int:report>/original/", reports.report_original, name="report-original"),
    path("jobs/<int:pk>/water/reports/<int:report>/pages/<int:number>/", reports.report_page, name="report-page"),
    path("jobs/<int:pk>/job-with-reports.zip", jobs.job_with_reports, name="job-with-reports"),
    path("jobs/<int:pk>/water/report/row/", reports.report_row, name="report-row"),
    path("jobs/<int:pk>/water/report/keep/", reports.report_keep, name="report-keep"),
    path("jobs/<int:pk>/water/samples/back/", samples.sample_restore, name="sample-restore"),
    path("jobs/<int:pk>/water/samples/keep/", reports.own_keep, name="own-keep"),
    path("jobs/<int:pk>/samples.csv", reports.samples_csv, name="samples-csv"),
    path("jobs/<int:pk>/train/", trains.train, name="train"),
    path("jobs/<int:pk>/train/edit/", trains.edit, name="train-edit"),
    path("jobs/<int:pk>/wall/", walls.wall, name="wall"),
    path("jobs/<int:pk>/wall/edit/", walls.edit, name="wall-edit"),
    path("jobs/<int:pk>/commission/", starts.commission, name="commission"),
    path("jobs/<int:pk>/commission/tell/", starts.tell, name="commission-tell"),
    path("jobs/<int:pk>/commission/plan/", starts.plan, name="commission-plan"),
    path("jobs/<int:pk>/commission/visits.ics", starts.calendar, name="commission-ics"),
    path("jobs/<int:pk>/commission/record.json", starts.record_file, name="commission-record"),
    path("jobs/<int:pk>/commission/record.pdf", starts.record_pdf, name="commission-pdf"),
    path("jobs/<int:pk>/commission/photos/<int:photo>.jpg", starts.photo, name="commission-photo"),
    path("jobs/<int:pk>/logbook/", logs.logbook, name="logbook"),
    path("jobs/<int:pk>/logbook/begin/", logs.begin, name="logbook-begin"),
    path("jobs/<int:pk>/logbook/entry/", logs.entry, name="logbook-entry"),
    path("jobs/<int:pk>/logbook/read/", logs.read, name="logbook-read"),
    path("jobs/<int:pk>/logbook/done/", logs.done, name="logbook-done"),
    path("jobs/<int:pk>/logbook/entries/<int:entry>/", logs.put, name="logbook-put"),
    path("jobs/<int:pk>/logbook/say/", logs.say, name="logbook-say"),
    path("jobs/<int:pk>/logbook/table/", logs.table, name="logbook-table"),
    path("jobs/<int:pk>/logbook/redesign/", logs.redesign, name="logbook-redesign"),
    path("jobs/<int:pk>/logbook/device/", log_doors.device, name="logbook-device"),
    path("jobs/<int:pk>/logbook/owner/", log_doors.owner, name="logbook-owner"),
    path("jobs/<int:pk>/logbook/labels.pdf", logs.labels_pdf, name="logbook-labels"),
    path("jobs/<int:pk>/logbook/technician/", logs.look_after, name="logbook-technician"),
    path("jobs/<int:pk>/logbook/log.json", logs.log_file, name="logbook-file"),
    path("jobs/<int:pk>/logbook/diagnosis.json", logs.diagnosis_file, name="logbook-diagnosis"),
    path("jobs/<int:pk>/logbook/photos/<int:photo>.jpg", logs.log_photo, name="logbook-photo"),
    path("calendar/", log_calendar.calendar, name="calendar"),
    path("calendar/link/", log_calendar.link, name="calendar-link"),
    path("calendar/<str:secret>.ics", login_not_required(log_calendar.calendar_file), name="calendar-file"),
    path("devices/log/", login_not_required(csrf_exempt(log_doors.device_door)), name="device-door"),
    path("house/<str:secret>/", login_not_required(log_doors.house), name="house"),
    path("house/<str:secret>/entry/", login_not_required(log_doors.house_entry), name="house-entry"),
    path("house/<str:secret>/done/", login_not_required(log_doors.house_done), name="house-done"),
    path("commission-worker.js", starts.worker, name="commission-worker"),
    path("prices/", wall_files.prices, name="prices"),
    path("jobs/<int:pk>/year/", years.year, name="year"),
    path("jobs/<int:pk>/year/what-if/", years.what_if, name="year-what-if"),
    path("jobs/<int:pk>/year.json", years.year_file, name="year-file"),
    path("jobs/<int:pk>/materials/", wall_files.materials_page, name="materials"),
    path("jobs/<int:pk>/materials.csv", wall_files.materials_file, {"ending": "csv"}, name="materials-csv"),
    path("jobs/<int:pk>/materials.xlsx", wall_files.materials_file, {"ending": "xlsx"}, name="materials-xlsx"),
    path("jobs/<int:pk>/costs.csv", wall_files.costs_file, name="costs-csv"),
    path("jobs/<int:pk>/wall.pdf", wall_files.wall_pdf, name="wall-pdf"),
    path("jobs/<int:pk>/wall.dxf", wall_files.wall_dxf, name="wall-dxf"),
    path("jobs/<int:pk>/train.pdf", wall_files.train_pdf, name="train-pdf"),
    path("jobs/<int:pk>/wall.svg", walls.wall_svg, name="wall-svg"),
    path("jobs/<int:pk>/issued/", issues.shelf, name="issues"),
    path("jobs/<int:pk>/issued/<int:issue>/", issues.one, name="issue"),
    path("jobs/<int:pk>/issued/<int:issue>/frozen.json", issues.file, name="issue-file"),
    path("jobs/<int:pk>/issued/<int:issue>/<slug:name>.pdf", issues.paper, name="issue-paper"),
    path("jobs/<int:pk>/issued/<int:issue>/<slug:name>/<int:number>.png", issues.page, name="issue-page"),
    path("link/<str:secret>/", issues.link, name="link"),
    path("link/<str:secret>/paper.pdf", issues.link_paper, name="link-paper"),
    path("jobs/<int:pk>/train/options/", options.options, name="options"),
    path("jobs/<int:pk>/train/options/act/", options.option_act, name="option-act"),
    path("jobs/<int:pk>/train/choices/", choices.choices, name="choices"),
    path("jobs/<int:pk>/train/choices.json", choices.choices_file, name="choices-file"),
    path("jobs/<int:pk>/train/choices/take/", choices.choice_take, name="choice-take"),
    path("jobs/<int:pk>/train/shelf/", options.shelf_page, name="shelf"),
    path("jobs/<int:pk>/train/schools/", options.panel, name="panel"),
    path("jobs/<int:pk>/train/schools/limit/", options.panel_limit, name="panel-limit"),
    path("jobs/<int:pk>/train/schools/event/", options.panel_event, name="panel-event"),
    path("jobs/<int:pk>/train/schools/value/", options.panel_working, name="panel-working"),
]
