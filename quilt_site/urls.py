"""URLs: the API, what those look at who run the installation, and the browser application for everything else."""

from django.conf import settings
from django.contrib import admin
from django.urls import include, path, re_path
from django.views.decorators.cache import cache_page

from studio.api.schema import Schema
from studio.views import application
from studio.watching import healthz, metrics

urlpatterns = [
    path("healthz", healthz),
    path("metrics", metrics),
    path("api/", include("studio.api.urls")),
    path("api/schema/", cache_page(3600)(Schema.as_view()), name="schema"),
    *([path("admin/", admin.site.urls)] if settings.ACCOUNTS else []),
    re_path(r"^(?!api/|assets/|admin/).*$", application, name="application"),
]
