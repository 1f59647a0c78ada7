"""Accounts, members, invitations and tokens."""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import (
    ACCOUNT,
    ANYONE,
    OWNER,
    VIEWER,
    Forbidden,
    acting_user,
    digest_of,
    role_in,
)
from studio.actions.errors import Refused
from studio.actions.people.guesses import check_pace
from studio.actions.people.invite import invitation_of, invite, join, set_role
from studio.api.parse import valid
from studio.gate import SESSION
from studio.middleware import refuse
from studio.models import ApiToken, Invitation, Membership, Project

ROLES = tuple(role for role, _ in Membership.ROLES)
BACKEND = "django.contrib.auth.backends.ModelBackend"


class MeOut(serializers.Serializer[Any]):
    accounts = serializers.BooleanField(help_text="whether accounts are kept here at all")
    id = serializers.IntegerField(allow_null=True)
    name = serializers.CharField(allow_blank=True)
    admin = serializers.BooleanField()


class LoginIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=256, trim_whitespace=False)


class JoinIn(serializers.Serializer[Any]):
    word = serializers.CharField(max_length=100)
    name = serializers.CharField(max_length=150, default="", allow_blank=True)
    password = serializers.CharField(
        max_length=256, default="", allow_blank=True, trim_whitespace=False
    )


class JoinOut(serializers.Serializer[Any]):
    project = serializers.IntegerField(allow_null=True)
    project_name = serializers.CharField(allow_blank=True)
    role = serializers.CharField()
    by = serializers.CharField(allow_blank=True)
    expires = serializers.DateTimeField()


class MemberOut(serializers.Serializer[Any]):
    user = serializers.IntegerField(source="user_id")
    name = serializers.CharField(source="user.username")
    role = serializers.ChoiceField(choices=ROLES)
    since = serializers.DateTimeField()


class MemberRoleIn(serializers.Serializer[Any]):
    role = serializers.ChoiceField(choices=ROLES)


class InvitationIn(serializers.Serializer[Any]):
    role = serializers.ChoiceField(choices=ROLES, default=Membership.EDITOR)
    note = serializers.CharField(max_length=120, default="", allow_blank=True)
    days = serializers.FloatField(default=7, min_value=0.01, max_value=30)


class InvitationOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    role = serializers.ChoiceField(choices=ROLES)
    note = serializers.CharField(allow_blank=True)
    by = serializers.CharField(allow_blank=True)
    expires = serializers.DateTimeField()
    used = serializers.DateTimeField(allow_null=True)
    word = serializers.CharField(required=False, help_text="of the link, told once")


class TokenIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=80)
    scope = serializers.ChoiceField(choices=(ApiToken.READ, ApiToken.WRITE), default=ApiToken.READ)
    project = serializers.IntegerField(default=None, allow_null=True)
    days = serializers.FloatField(default=None, allow_null=True, min_value=0.01, max_value=3650)


class TokenOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    scope = serializers.ChoiceField(choices=(ApiToken.READ, ApiToken.WRITE))
    project = serializers.IntegerField(source="project_id", allow_null=True)
    expires = serializers.DateTimeField(allow_null=True)
    used = serializers.DateTimeField(allow_null=True)
    token = serializers.CharField(required=False, help_text="told once")


def locked_out(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
    """What axes answers after too many wrong passwords."""
    return refuse(
        429, "Too many wrong passwords for this name.", "Wait a quarter of an hour, or ask an administrator."
    )  # fmt: skip


def _account(request: Request) -> Any:
    """The account that is logged in by a session; the REST framework, which has none, hides the request's user."""
    user = getattr(request._request, SESSION, None)
    return user if user is not None and user.is_authenticated else None


def _me(request: Request) -> Response:
    user = _account(request)
    known = settings.ACCOUNTS and user is not None
    return Response(
        MeOut({
            "accounts": settings.ACCOUNTS, "id": user.pk if known else None,
            "name": user.get_username() if known else "", "admin": bool(known and user.is_staff),
        }).data
    )  # fmt: skip


class Me(APIView):
    """Whoever asks."""

    roles = {"GET": ANYONE}

    @extend_schema(operation_id="get_me", responses=MeOut)
    def get(self, request: Request) -> Response:
        return _me(request)


class Login(APIView):
    """Log in."""

    roles = {"POST": ANYONE}

    @extend_schema(operation_id="log_in", request=LoginIn, responses=MeOut)
    def post(self, request: Request) -> Response:
        given = valid(LoginIn, request)
        check_pace(given["name"])
        user = authenticate(request._request, username=given["name"], password=given["password"])
        if user is None:
            # Whether the name is known is not told.
            raise Forbidden("Name and password do not fit.", "", "Try again.")
        request._request.session.cycle_key()
        login(request._request, user)
        setattr(request._request, SESSION, user)
        return _me(request)


class Logout(APIView):
    """Log out."""

    roles = {"POST": ACCOUNT}

    @extend_schema(operation_id="log_out", request=None, responses={204: None})
    def post(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


def _invited(row: Invitation) -> dict[str, Any]:
    project = row.project
    return {
        "project": row.project_id, "project_name": project.name if project else "", "role": row.role,
        "by": row.by, "expires": row.expires,
    }  # fmt: skip


class Join(APIView):
    """Take an invitation."""

    roles = {"GET": ANYONE, "POST": ANYONE}

    @extend_schema(
        operation_id="get_invitation", parameters=[OpenApiParameter("word", str)], responses=JoinOut
    )
    def get(self, request: Request) -> Response:
        return Response(JoinOut(_invited(invitation_of(request.query_params.get("word", "")))).data)

    @extend_schema(operation_id="join", request=JoinIn, responses=JoinOut)
    def post(self, request: Request) -> Response:
        given = valid(JoinIn, request)
        row = invitation_of(given["word"])
        known = _account(request)
        joined: Any = join(given["word"], known, given["name"], given["password"])
        if known is None:
            login(request._request, joined, backend=BACKEND)
        return Response(JoinOut(_invited(row)).data)


class Members(APIView):
    """Members of a project."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="list_members", responses=MemberOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        rows = Membership.objects.filter(project=project_id).select_related("user")
        return Response(MemberOut(rows, many=True).data)


class OneMember(APIView):
    """A member of a project."""

    roles = {"PATCH": OWNER, "DELETE": VIEWER}

    @extend_schema(operation_id="set_role", request=MemberRoleIn, responses=MemberOut(many=True))
    def patch(self, request: Request, project_id: int, user_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        set_role(project, user_id, valid(MemberRoleIn, request)["role"])
        return Members().get(request, project_id)

    @extend_schema(operation_id="remove_member", responses={204: None})
    def delete(self, request: Request, project_id: int, user_id: int) -> Response:
        set_role(get_object_or_404(Project, pk=project_id), user_id, None)
        return Response(status=204)


class Invitations(APIView):
    """Invitations to a project."""

    roles = {"GET": OWNER, "POST": OWNER}

    @extend_schema(operation_id="list_invitations", responses=InvitationOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        rows = Invitation.objects.filter(project=project_id, used=None, expires__gt=timezone.now())
        return Response(InvitationOut(rows, many=True).data)

    @extend_schema(operation_id="invite", request=InvitationIn, responses={201: InvitationOut})
    def post(self, request: Request, project_id: int) -> Response:
        given = valid(InvitationIn, request)
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        row, word = invite(project, given["role"], given["note"], given["days"])
        return Response({**InvitationOut(row).data, "word": word}, status=201)


class OneInvitation(APIView):
    """An invitation."""

    roles = {"DELETE": OWNER}

    @extend_schema(operation_id="revoke_invitation", responses={204: None})
    def delete(self, request: Request, invitation_id: int) -> Response:
        row = get_object_or_404(Invitation, pk=invitation_id)
        row.delete()
        return Response(status=204)


def _mine(request: Request) -> int:
    user = acting_user()
    if user is None:
        raise Refused("Accounts are not kept here.", "", "Set QUILT_ACCOUNTS=1 to keep them.")
    return user


def _in_person(request: Request) -> None:
    """Whoever finds a token is not to know of the others, make more or take them away."""
    if settings.ACCOUNTS and _account(request) is None:
        raise Forbidden("A token is not enough for what is about tokens.", "", "Log in.")


class Tokens(APIView):
    """Tokens of whoever is logged in."""

    roles = {"GET": ACCOUNT, "POST": ACCOUNT}

    @extend_schema(operation_id="list_tokens", responses=TokenOut(many=True))
    def get(self, request: Request) -> Response:
        _in_person(request)
        return Response(TokenOut(ApiToken.objects.filter(user=_mine(request)), many=True).data)

    @extend_schema(operation_id="make_token", request=TokenIn, responses={201: TokenOut})
    def post(self, request: Request) -> Response:
        given, user = valid(TokenIn, request), _mine(request)
        _in_person(request)
        if given["project"] is not None and not role_in(given["project"], user):
            raise Http404
        word = f"quilt_{secrets.token_urlsafe(32)}"
        expires = timezone.now() + timedelta(days=given["days"]) if given["days"] else None
        row = ApiToken.objects.create(
            user_id=user, project_id=given["project"], name=given["name"], scope=given["scope"],
            digest=digest_of(word), expires=expires,
        )  # fmt: skip
        return Response({**TokenOut(row).data, "token": word}, status=201)


class OneToken(APIView):
    """A token."""

    roles = {"DELETE": ACCOUNT}

    @extend_schema(operation_id="drop_token", responses={204: None})
    def delete(self, request: Request, token_id: int) -> Response:
        _in_person(request)
        get_object_or_404(ApiToken, pk=token_id, user=_mine(request)).delete()
        return Response(status=204)
