"""URLs: the API, and the browser application for everything else."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from studio.views import application

urlpatterns = [
    path("api/", include("studio.api.urls")),
    path("api/schema/", SpectacularAPIView.as_view(), name="schema"),
    re_path(r"^(?!api/|assets/).*$", application, name="application"),
]
