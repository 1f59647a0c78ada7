"""What is live in a project: who is here, what is new, and notes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import connection
from django.http import StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.renderers import BaseRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import VIEWER, acting_user
from studio.actions.people.notes import close, say, take_back
from studio.actions.people.presence import presence
from studio.api.parse import valid
from studio.api.renderers import FastJson
from studio.live import HUB, Stream, Window
from studio.models import Note, Project


class NoteIn(serializers.Serializer[Any]):
    text = serializers.CharField(max_length=4000)
    atlas = serializers.IntegerField(default=None, allow_null=True)
    kind = serializers.ChoiceField(
        choices=(Note.ISLAND, Note.OBJECT, Note.FINDING, Note.ATLAS), default=Note.ATLAS
    )
    object = serializers.IntegerField(default=None, allow_null=True)
    island = serializers.IntegerField(default=-1, help_text="of the object, from 0")
    finding = serializers.CharField(max_length=200, default="", allow_blank=True)
    answers = serializers.IntegerField(default=None, allow_null=True)


class PresenceIn(serializers.Serializer[Any]):
    window = serializers.CharField(max_length=36, help_text="another one for each window")
    atlas = serializers.IntegerField(default=0)
    stage = serializers.CharField(max_length=20, default="", allow_blank=True)
    picked = serializers.ListField(
        child=serializers.IntegerField(), default=list, max_length=100_000
    )


class PersonHere(serializers.Serializer[Any]):
    name = serializers.CharField()
    mine = serializers.BooleanField(help_text="another window of one's own")
    atlas = serializers.IntegerField()
    stage = serializers.CharField(allow_blank=True)
    picked = serializers.ListField(child=serializers.IntegerField())


class PresenceOut(serializers.Serializer[Any]):
    change = serializers.IntegerField(help_text="the newest step")
    redo = serializers.IntegerField(help_text="steps that were undone")
    jobs = serializers.IntegerField(help_text="at work or waiting")
    people = PersonHere(many=True)


class NoteOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    atlas = serializers.IntegerField(source="atlas_id", allow_null=True)
    kind = serializers.CharField()
    object = serializers.IntegerField(source="object_id", allow_null=True)
    island = serializers.IntegerField()
    finding = serializers.CharField(allow_blank=True)
    answers = serializers.IntegerField(source="answers_id", allow_null=True)
    text = serializers.CharField()
    author = serializers.CharField()
    mine = serializers.SerializerMethodField()
    created = serializers.DateTimeField()
    closed = serializers.DateTimeField(allow_null=True)

    def get_mine(self, note: Note) -> bool:
        return note.user_id is not None and note.user_id == acting_user()


class NoteChange(serializers.Serializer[Any]):
    closed = serializers.BooleanField()


class Presence(APIView):
    """Say that one is here, and hear what is new."""

    roles = {"POST": VIEWER}

    @extend_schema(operation_id="presence", request=PresenceIn, responses=PresenceOut)
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        return Response(PresenceOut(presence(project, valid(PresenceIn, request))).data)


class Events(BaseRenderer):
    """So that a browser may ask for events; they are rendered one by one (`studio.live`)."""

    media_type = "text/event-stream"
    format = "events"

    def render(
        self,
        data: Any,
        accepted_media_type: str | None = None,
        renderer_context: Mapping[str, Any] | None = None,
    ) -> bytes:
        """Errors only."""
        return FastJson().render(data)


class Live(APIView):
    """What is new, as it happens: server-sent events, each of which is a `PresenceOut` with a digest of the notes."""

    roles = {"GET": VIEWER}

    renderer_classes = [Events, FastJson]

    @extend_schema(
        operation_id="live",
        parameters=[OpenApiParameter("window", str, description="as in the presence")],
        responses={(200, "text/event-stream"): OpenApiTypes.STR, 204: None},
    )
    def get(self, request: Request, project_id: int) -> HttpResponseBase:
        get_object_or_404(Project, pk=project_id)
        session = getattr(request._request, "session", None)
        token = "Authorization" in request.headers
        window = Window(
            project_id, request.query_params.get("window", "")[:36], acting_user(),
            "" if token or session is None else session.session_key or "",
        )  # fmt: skip
        if not HUB.connect(window):
            return Response(status=204)  # no room: the window asks by itself from now on
        connection.close()
        # Neither compressed nor kept back on the way.
        headers = {"Cache-Control": "no-cache", "Content-Encoding": "identity", "X-Accel-Buffering": "no"}  # fmt: skip
        return StreamingHttpResponse(Stream(window, HUB), "text/event-stream", headers=headers)


class Notes(APIView):
    """Notes of a project."""

    roles = {"GET": VIEWER, "POST": VIEWER}

    @extend_schema(operation_id="list_notes", responses=NoteOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        return Response(NoteOut(Note.objects.filter(project=project_id), many=True).data)

    @extend_schema(operation_id="say", request=NoteIn, responses={201: NoteOut})
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        return Response(NoteOut(say(project, valid(NoteIn, request))).data, status=201)


class OneNote(APIView):
    """A note."""

    roles = {"PATCH": VIEWER, "DELETE": VIEWER}

    @extend_schema(operation_id="close_note", request=NoteChange, responses=NoteOut)
    def patch(self, request: Request, note_id: int) -> Response:
        note = get_object_or_404(Note, pk=note_id)
        return Response(NoteOut(close(note, valid(NoteChange, request)["closed"])).data)

    @extend_schema(operation_id="take_note_back", responses={204: None})
    def delete(self, request: Request, note_id: int) -> Response:
        take_back(get_object_or_404(Note, pk=note_id))
        return Response(status=204)
