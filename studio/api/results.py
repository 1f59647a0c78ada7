"""Results of operations in the description of the API, made from their figures."""

from __future__ import annotations

import types
from dataclasses import fields, is_dataclass
from typing import Any, Union, get_args, get_origin

import numpy as np

from quilt_core.operations.operation import Operation, hint_of
from quilt_core.operations.registry import OPERATIONS

Schema = dict[str, Any]
PLAIN: dict[Any, str] = {bool: "boolean", int: "integer", float: "number", str: "string"}


def result_name(operation: Operation) -> str:
    """What its result is called in the description."""
    return f"{operation.name.title().replace('-', '')}Result"


def add_results(result: Schema, generator: Any, request: Any, public: bool) -> Schema:
    """Add a schema for the result of each operation: what a job of it holds when it is done."""
    schemas = result["components"]["schemas"]
    for one in OPERATIONS.values():
        schemas[result_name(one)] = schema_of(one.result) | {"description": one.help}
    return result


def schema_of(kind: Any) -> Schema:
    """JSON schema of a type of figures."""
    if kind in PLAIN:
        return {"type": PLAIN[kind]}
    if is_dataclass(kind):
        return _object(kind)
    origin, inner = get_origin(kind), get_args(kind)
    if origin in (Union, types.UnionType):
        known = [one for one in inner if one is not type(None)]
        found = schema_of(known[0]) if len(known) == 1 else {"oneOf": [schema_of(one) for one in known]}  # fmt: skip
        return found | {"nullable": True} if len(known) < len(inner) else found
    if origin is np.ndarray:
        kinds = [one.__name__ for one in get_args(inner[1])]
        word = "integer" if "int64" in kinds else "boolean" if "bool" in kinds else "number"
        return {"type": "array", "items": {"type": word}}
    if origin in (list, tuple, set, frozenset):
        return {"type": "array", "items": schema_of(inner[0]) if inner else {}}
    if origin is dict or origin is not None:
        return {"type": "object", "additionalProperties": True}
    return {}


def _object(kind: Any) -> Schema:
    known = [one for one in fields(kind) if one.metadata.get("figure")]
    rows = known or list(fields(kind))
    properties = {}
    for one in rows:
        fact = one.metadata.get("figure", {"help": "", "unit": ""})
        unit = f", {fact['unit']}" if fact["unit"] else ""
        found = schema_of(hint_of(kind, one.name))
        properties[one.name] = found | ({"description": f"{fact['help']}{unit}"} if fact["help"] else {})  # fmt: skip
    return {"type": "object", "properties": properties, "required": list(properties)}
