"""Page: where the person who is signed in is signed in."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from brisk_web.accounts.people import signed_in
from brisk_web.house.sessions import end_other_sessions, end_session, sessions_of


@require_http_methods(["GET", "POST"])
def sessions(request: HttpRequest) -> HttpResponse:
    """One's own sessions; each can be ended, and all others at once."""
    person, this = signed_in(request), request.session.session_key
    if request.method == "POST":
        which = request.POST.get("which", "")
        if which == "others":
            ended = end_other_sessions(person, this)
            messages.success(request, f"Ended {ended} session{'' if ended == 1 else 's'}; this one goes on.")
        elif end_session(person, which):
            messages.success(request, "Ended it.")
        else:
            messages.error(request, "That session is over already.")
        return redirect("sessions")
    answer = render(request, "pages/sessions.html", {"sessions": sessions_of(person, this)})
    answer["Cache-Control"] = "no-store"
    return answer
