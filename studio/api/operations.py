"""Operations as requests: serializers, views and addresses made from the registry."""

from __future__ import annotations

from functools import cache
from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Operation
from quilt_core.operations.registry import OPERATIONS
from quilt_core.options import Option, options_of, settings_from
from studio.actions.access import ACCOUNT
from studio.actions.errors import Refused
from studio.actions.history.change import edit_atlas
from studio.actions.operate import operate
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import LayoutJob, answer_atlas

MOST_LISTED = 2_000_000
LONGEST = 4000
ELSEWHERE = ("gather", "update")
"""Operations that have a request of their own, as files come with it."""


AnyField = serializers.Field[Any, Any, Any, Any]


class SpecialField(serializers.Field[Any, Any, Any, Any]):
    """A value that has a form of its own."""

    def __init__(self, option: Option, **more: Any) -> None:
        self.option = option
        super().__init__(**more)

    def to_internal_value(self, given: Any) -> Any:
        """The value as it was given, when it can be used."""
        try:
            one = self.option._one(given, False)
        except QuiltError as error:
            raise serializers.ValidationError(f"{error.what} {error.fix}") from None
        return self.option.show(one) if self.option.show else one

    def to_representation(self, value: Any) -> Any:
        """As it is kept."""
        return value


def field_of(option: Option) -> AnyField:
    """A field of a request for an option; left out, the option has its default."""
    usual = "" if option.needed else f"; usually {option.plain(option.default)}"
    unit = f", {option.unit}" if option.unit else ""
    common: dict[str, Any] = {
        "required": option.needed,
        "allow_null": option.optional,
        "help_text": f"{option.help}{unit}{usual}",
    }
    if option.keyed:
        return serializers.DictField(child=_one(option, {}), **common)
    if option.many:
        return serializers.ListField(child=_one(option, {}), max_length=MOST_LISTED, **common)
    return _one(option, common)


def _one(option: Option, common: dict[str, Any]) -> AnyField:
    """A field of one value."""
    bounds: dict[str, Any] = {"min_value": option.low, "max_value": option.high}
    if option.kind == "flag":
        return serializers.BooleanField(**common)
    if option.kind == "choice":
        return serializers.ChoiceField(choices=option.choices, **common)
    if option.kind == "whole":
        return serializers.IntegerField(**bounds, **common)
    if option.kind == "number":
        return serializers.FloatField(**bounds, **common)
    if option.kind == "text":
        return serializers.CharField(max_length=LONGEST, **common)
    schema = dict(option.json or {"type": "string"})
    kind = type("Special", (SpecialField,), {"__doc__": option.help})
    special: AnyField = extend_schema_field(schema)(kind)(option, **common)
    return special


@cache
def serializer_of(operation: Operation) -> type[serializers.Serializer[Any]]:
    """The request of an operation: the step that the user saw, its settings, and how its result is kept."""
    fields: dict[str, Any] = {one.name: field_of(one) for one in options_of(operation.settings)}
    if operation.changes == "layout" and not is_quick(operation):
        fields["draft"] = serializers.BooleanField(
            required=False, help_text="keep the layout beside the present one"
        )
    if operation.name == "merge":
        fields["whole"] = serializers.BooleanField(
            required=False, help_text="all atlases of the project, not this one alone"
        )
    name = f"{operation.name.title().replace('-', '')}In"
    return type(name, (s.OnChange,), {**fields, "__doc__": operation.help})


def refuse_unknown(given: Any, shape: type[serializers.Serializer[Any]]) -> None:
    """Refuse what a request says that nobody would hear.

    Raises
    ------
    Refused
    """
    fields = shape().fields
    for name in given if isinstance(given, dict) else ():
        if name not in fields:
            raise Refused(
                f"There is no setting “{name}”.", str(name), f"Known are {', '.join(fields)}."
            )


class OperationJob(LayoutJob):
    """An operation on an atlas: done at once, or by a job."""

    operation: Operation

    def post(self, request: Request, atlas_id: int) -> Response:
        """Check its settings, and do or queue it."""
        shape = serializer_of(self.operation)
        refuse_unknown(request.data, shape)
        given = valid(shape, request)
        known = {one.name for one in options_of(self.operation.settings)}
        settings = {name: value for name, value in given.items() if name in known}
        settings_from(self.operation.settings, settings)
        rest = {name: value for name, value in given.items() if name not in known}
        if is_quick(self.operation):
            name = self.operation.name
            edit_atlas(atlas_id, rest["change"], lambda head: operate(head, name, settings).made())
            return answer_atlas(atlas_id)
        return self.start(atlas_id, {**rest, "settings": settings}, self.operation.needs)


def is_quick(operation: Operation) -> bool:
    """Whether its answer is the atlas as it is then, and no job."""
    return operation.pace == "moment" and operation.changes == "layout"


def view_of(operation: Operation) -> type[APIView]:
    """The view that starts an operation."""
    name = operation.name.replace("-", "_")
    facts = {
        "kind": operation.name,
        "exclusive": operation.changes == "layout",
        "operation": operation,
        "roles": {"POST": operation.role},
        "__doc__": operation.help,
    }
    made = type(f"{name.title().replace('_', '')}Job", (OperationJob,), facts)
    schema = extend_schema(
        operation_id=name,
        request=serializer_of(operation),
        responses=s.AtlasOut if is_quick(operation) else {202: s.JobOut},
    )

    @schema
    def post(self: OperationJob, request: Request, atlas_id: int) -> Response:
        return OperationJob.post(self, request, atlas_id)

    made.post = post  # type: ignore[attr-defined]
    return made


def operation_views() -> dict[str, type[APIView]]:
    """Addresses below an atlas to the views behind them."""
    return {
        f"{one.name}/": view_of(one) for one in OPERATIONS.values() if one.name not in ELSEWHERE
    }


class OptionOut(serializers.Serializer[Any]):
    """An option of an operation."""

    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=["flag", "choice", "whole", "number", "text", "special"])
    default = serializers.SerializerMethodField(help_text="none where it has to be given")
    help = serializers.CharField()
    unit = serializers.CharField(allow_blank=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    choices = serializers.ListField(child=serializers.JSONField())
    many = serializers.BooleanField()
    keyed = serializers.BooleanField()
    optional = serializers.BooleanField()
    shape = serializers.CharField(allow_blank=True)
    passing = serializers.BooleanField(help_text="belongs to one moment: presets leave it out")

    @extend_schema_field({"nullable": True})
    def get_default(self, option: Option) -> Any:  # type: ignore[override]
        return None if option.needed else option.plain(option.default)


class OperationOut(serializers.Serializer[Any]):
    """An operation, as forms and commands are made from it."""

    name = serializers.CharField()
    help = serializers.CharField()
    changes = serializers.ChoiceField(choices=["layout", "document", "files", "nothing"])
    pace = serializers.ChoiceField(choices=["moment", "soon", "long"])
    synonyms = serializers.ListField(child=serializers.CharField())
    options = serializers.SerializerMethodField()

    @extend_schema_field(OptionOut(many=True))
    def get_options(self, operation: Operation) -> Any:
        return OptionOut(options_of(operation.settings), many=True).data


class Operations(APIView):
    """All operations with their options."""

    roles = {"GET": ACCOUNT}

    @extend_schema(operation_id="list_operations", responses=OperationOut(many=True))
    def get(self, request: Request) -> Response:
        """They change only with the program."""
        return Response(OperationOut(OPERATIONS.values(), many=True).data)
