"""Django's administration, for people who run a server. There is one door into the application: who is not signed in there is led to it."""

from django.contrib import admin
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect

admin.site.site_header = admin.site.site_title = "Upper Wick: administration"
admin.site.site_url = "/"


def elsewhere(request: HttpRequest, extra_context: object = None) -> HttpResponse:
    """Instead of a sign-in of its own, which would know nothing of the wait after wrong passwords."""
    if request.user.is_authenticated:
        return HttpResponse("Only staff may use the administration.", status=403, content_type="text/plain")
    return HttpResponseRedirect("/")


admin.site.login = elsewhere
