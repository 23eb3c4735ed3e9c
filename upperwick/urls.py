"""The API and the one page."""

from django.contrib import admin
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from ninja import NinjaAPI
from ninja.security import django_auth

from upperwick.accounts.api import people
from upperwick.accounts.api import router as session
from upperwick.accounts.preferences import router as preferences
from upperwick.base.problem_documents import problem
from upperwick.bench.lists_api import router as lists
from upperwick.books.api import router as books
from upperwick.breadth.api import router as breadths
from upperwick.charts.api import router as charts
from upperwick.data.api import router as data
from upperwick.desk.api import router as desk
from upperwick.events.views import events
from upperwick.market.api import router as market
from upperwick.positions.api import router as bench
from upperwick.precedents.api import router as precedents
from upperwick.problems import install
from upperwick.rules.api import router as rules
from upperwick.rules.language import router as language
from upperwick.rules.scan_api import router as scans
from upperwick.settings import WEB_DIST
from upperwick.studies.api import router as studies

api = NinjaAPI(title="Upper Wick", version="1", auth=django_auth, docs_url=None, urls_namespace="api")
api.add_router("/session", session)
api.add_router("/people", people)
api.add_router("/preferences", preferences)
api.add_router("/lists", lists)
api.add_router("", market)
api.add_router("", charts)
api.add_router("/rules", rules)
api.add_router("", scans)
api.add_router("/language", language)
api.add_router("/studies", studies)
api.add_router("/books", books)
api.add_router("/breadths", breadths)
api.add_router("/precedents", precedents)
api.add_router("", desk)
api.add_router("/bench", bench)
api.add_router("/data", data)
install(api)


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The built interface; every place in it is the same page."""
    try:
        content = (WEB_DIST / "index.html").read_bytes()
    except OSError:
        return HttpResponse("The interface is not built yet: run `make demo`.", status=503, content_type="text/plain")
    return HttpResponse(content, headers={"Cache-Control": "no-cache"})


def unknown(request: HttpRequest) -> HttpResponse:
    """Anything else under /api."""
    return problem(404, "Not found", "There is nothing at this address.")


urlpatterns = [
    path("api/events", events),
    path("api/", api.urls),
    path("admin/", admin.site.urls),
    re_path(r"^api/.*$", unknown),
    re_path(r"^(?!static/).*$", page),
]
