"""All addresses of the application."""

from django.contrib import admin
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path

from brisk_web.captions import views as captions
from brisk_web.checks import again_views, side_views
from brisk_web.checks import views as checks
from brisk_web.edits import views as edits
from brisk_web.house import views as house
from brisk_web.inspections import bench_views as bench
from brisk_web.inspections import strip_views as strips
from brisk_web.inspections import views as inspections
from brisk_web.jobs import views as jobs
from brisk_web.masters import views as masters
from brisk_web.shelf import views as shelf
from brisk_web.stems import views as stems
from brisk_web.storage import upload_views
from brisk_web.storage import views as storage

urlpatterns = [
    path("sign-in", login_not_required(LoginView.as_view(template_name="accounts/sign_in.html")), name="sign-in"),
    path("sign-out", LogoutView.as_view(), name="sign-out"),
    path("admin/", admin.site.urls),
    path("", jobs.desk, name="desk"),
    path("jobs/", jobs.job_list, name="jobs"),
    path("jobs/new", jobs.new_job, name="new-job"),
    path("jobs/<int:job_id>/", jobs.job, name="job"),
    path("jobs/<int:job_id>/deliverables/new", jobs.new_deliverable, name="new-deliverable"),
    path("jobs/<int:job_id>/timelines/new", edits.import_timeline, name="import-timeline"),
    path("timelines/<int:timeline_id>/", edits.timeline_page, name="timeline"),
    path("timelines/<int:timeline_id>/range", edits.set_range, name="set-range"),
    path("timelines/<int:timeline_id>/export.otio", edits.export, {"kind": "otio"}, name="export-otio"),
    path("timelines/<int:timeline_id>/export.edl", edits.export, {"kind": "edl"}, name="export-edl"),
    path("timelines/<int:timeline_id>.json", edits.timeline_json, name="timeline-json"),
    path("files/", storage.file_list, name="files"),
    path("files/roots/new", storage.add_root, name="add-root"),
    path("files/roots/<int:root_id>/", storage.browse_root, name="browse-root"),
    path("files/roots/<int:root_id>/register", storage.register_file, name="register-file"),
    path("files/<int:file_id>/", storage.media_file, name="file"),
    path("files/<int:file_id>/take-in", jobs.take_in, name="take-in"),
    path("files/<int:file_id>/inspect-again", inspections.inspect_again, name="inspect-again"),
    path("files/<int:file_id>/inspection.json", inspections.inspection_json, name="inspection-json"),
    path("files/<int:file_id>/frames/<int:number>.jpg", bench.frame, name="frame"),
    path("files/<int:file_id>/frames/<int:number>.json", bench.samples, name="samples"),
    path("files/<int:file_id>/strip/", strips.film_strip, name="film-strip"),
    path("files/<int:file_id>/strip.jpg", bench.strip, name="strip"),
    path("files/<int:file_id>/clips/<int:number>.webm", bench.clip, name="clip"),
    path("files/<int:file_id>/stems/", stems.stems_page, name="stems"),
    path("files/<int:file_id>/stems/begin", stems.begin, name="begin-stems"),
    path("stems/<int:stem_check_id>/cancel", stems.cancel, name="cancel-stems"),
    path("stems/<int:stem_check_id>.json", stems.stems_json, name="stems-json"),
    path("inspections/outdated/again", inspections.inspect_outdated, name="inspect-outdated"),
    path("inspections/<int:inspection_id>/cancel", inspections.cancel, name="cancel-inspection"),
    path("intake/uploads/", upload_views.create, name="uploads"),
    path("intake/uploads/<uuid:upload_id>/", upload_views.upload, name="upload"),
    path("specs/new", shelf.write_spec, name="new-spec"),
    path("specs/<slug:slug>/change", shelf.write_spec, name="change-spec"),
    path("specs/<slug:slug>/judge-again", again_views.judge_again, name="judge-again"),
    path("specs/", shelf.spec_list, name="specs"),
    path("specs/<slug:slug>/", shelf.spec_sheet, name="spec"),
    path("specs/<slug:slug>/<int:number>.<str:kind>", shelf.spec_document, name="spec-document"),
    path("checks/<int:check_id>/", checks.check_page, name="check"),
    path("checks/<int:check_id>.json", checks.check_json, name="check-json"),
    path("checks/<int:check_id>/state", checks.check_state, name="check-state"),
    path("checks/<int:check_id>/lanes", checks.check_lanes, name="check-lanes"),
    path("checks/<int:check_id>/against/", masters.against, name="against"),
    path("checks/<int:check_id>/against/compare", masters.compare, name="compare"),
    path("checks/<int:check_id>/against/<int:comparison_id>/cancel", masters.cancel, name="cancel-comparison"),
    path("checks/<int:check_id>/captions/", captions.captions_page, name="captions"),
    path("checks/<int:check_id>/captions.json", captions.captions_json, name="captions-json"),
    path("checks/<int:check_id>/captions/add", captions.add_captions, name="add-captions"),
    path("checks/<int:check_id>/captions/<int:pairing_id>/drop", captions.drop_captions, name="drop-captions"),
    path("comparisons/<int:comparison_id>/state", masters.comparison_state, name="comparison-state"),
    path("comparisons/<int:comparison_id>.json", masters.against_json, name="against-json"),
    path("side-by-side/", side_views.side_by_side, name="side-by-side"),
    path("house/", house.house, name="house"),
]
