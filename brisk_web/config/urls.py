"""All addresses of the application."""

from django.contrib import admin
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path

from brisk_web.accounts.views import session
from brisk_web.pages import (
    against,
    bench,
    captions,
    checks,
    desk,
    files,
    film_strip,
    glossary,
    house,
    inspections,
    jobs,
    judge_again,
    side_by_side,
    specs,
    stems,
    timelines,
    uploads,
)

handler500 = "brisk_web.pages.errors.server_error"

#: Who is signed in already is led on.
_SIGN_IN = LoginView.as_view(template_name="accounts/sign_in.html", redirect_authenticated_user=True)

urlpatterns = [
    path("session", session, name="session"),
    path("sign-in", login_not_required(_SIGN_IN), name="sign-in"),
    path("sign-out", LogoutView.as_view(), name="sign-out"),
    path("admin/", admin.site.urls),
    path("", desk.desk, name="desk"),
    path("jobs/", jobs.job_list, name="jobs"),
    path("jobs/new", jobs.new_job, name="new-job"),
    path("jobs/<int:job_id>/", jobs.job, name="job"),
    path("jobs/<int:job_id>/deliverables/new", jobs.new_deliverable, name="new-deliverable"),
    path("jobs/<int:job_id>/timelines/new", timelines.import_timeline, name="import-timeline"),
    path("timelines/<int:timeline_id>/", timelines.timeline_page, name="timeline"),
    path("timelines/<int:timeline_id>/range", timelines.set_range, name="set-range"),
    path("timelines/<int:timeline_id>/export.otio", timelines.export, {"kind": "otio"}, name="export-otio"),
    path("timelines/<int:timeline_id>/export.edl", timelines.export, {"kind": "edl"}, name="export-edl"),
    path("timelines/<int:timeline_id>.json", timelines.timeline_json, name="timeline-json"),
    path("files/", files.file_list, name="files"),
    path("files/roots/new", files.add_root, name="add-root"),
    path("files/roots/<int:root_id>/", files.browse_root, name="browse-root"),
    path("files/roots/<int:root_id>/register", files.register_file, name="register-file"),
    path("files/<int:file_id>/", files.media_file, name="file"),
    path("files/<int:file_id>/take-in", jobs.take_in, name="take-in"),
    path("files/<int:file_id>/inspect-again", inspections.inspect_again, name="inspect-again"),
    path("files/<int:file_id>/inspection.json", inspections.inspection_json, name="inspection-json"),
    path("files/<int:file_id>/frames/<int:number>.jpg", bench.frame, name="frame"),
    path("files/<int:file_id>/frames/<int:number>.json", bench.samples, name="samples"),
    path("files/<int:file_id>/strip/", film_strip.film_strip, name="film-strip"),
    path("files/<int:file_id>/strip.jpg", bench.strip, name="strip"),
    path("files/<int:file_id>/clips/<int:number>.webm", bench.clip, name="clip"),
    path("files/<int:file_id>/stems/", stems.stems_page, name="stems"),
    path("files/<int:file_id>/stems/begin", stems.begin, name="begin-stems"),
    path("stems/<int:stem_check_id>/cancel", stems.cancel, name="cancel-stems"),
    path("stems/<int:stem_check_id>.json", stems.stems_json, name="stems-json"),
    path("inspections/outdated/again", inspections.inspect_outdated, name="inspect-outdated"),
    path("inspections/<int:inspection_id>/cancel", inspections.cancel, name="cancel-inspection"),
    path("intake/uploads/", uploads.create, name="uploads"),
    path("intake/uploads/<uuid:upload_id>/", uploads.upload, name="upload"),
    path("specs/new", specs.write_spec, name="new-spec"),
    path("specs/<slug:slug>/change", specs.write_spec, name="change-spec"),
    path("specs/<slug:slug>/judge-again", judge_again.judge_again, name="judge-again"),
    path("specs/", specs.spec_list, name="specs"),
    path("specs/<slug:slug>/", specs.spec_sheet, name="spec"),
    path("specs/<slug:slug>/<int:number>.<str:kind>", specs.spec_document, name="spec-document"),
    path("checks/<int:check_id>/", checks.check_page, name="check"),
    path("checks/<int:check_id>.json", checks.check_json, name="check-json"),
    path("checks/<int:check_id>/state", checks.check_state, name="check-state"),
    path("checks/<int:check_id>/lanes", checks.check_lanes, name="check-lanes"),
    path("checks/<int:check_id>/against/", against.against, name="against"),
    path("checks/<int:check_id>/against/compare", against.compare, name="compare"),
    path("checks/<int:check_id>/against/<int:comparison_id>/cancel", against.cancel, name="cancel-comparison"),
    path("checks/<int:check_id>/captions/", captions.captions_page, name="captions"),
    path("checks/<int:check_id>/captions.json", captions.captions_json, name="captions-json"),
    path("checks/<int:check_id>/captions/add", captions.add_captions, name="add-captions"),
    path("checks/<int:check_id>/captions/<int:pairing_id>/drop", captions.drop_captions, name="drop-captions"),
    path("comparisons/<int:comparison_id>/state", against.comparison_state, name="comparison-state"),
    path("comparisons/<int:comparison_id>.json", against.against_json, name="against-json"),
    path("side-by-side/", side_by_side.side_by_side, name="side-by-side"),
    path("glossary/", glossary.glossary, name="glossary"),
    path("house/", house.house, name="house"),
]
