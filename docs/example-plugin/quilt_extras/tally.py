"""An operation: how many objects have at least so many faces."""

from dataclasses import dataclass

from quilt_core.operations.operation import FileUse, Operation, figure
from quilt_core.options import option


@dataclass(frozen=True)
class Tally:
    least: int = option(1, "faces that an object has at least", low=0, high=1_000_000)


@dataclass(frozen=True)
class Tallied:
    objects: int = figure("how many there are")
    ok: bool = True


def run(document, settings, progress):
    faces = [len(member.base_layout().face_island) for member in document.layout.members]
    return Tallied(sum(count >= settings.least for count in faces))


def tell(result):
    return [f"{result.objects} objects"]


TALLY = Operation(
    name="tally",
    help="Count the objects that have at least so many faces.",
    home="quilt_extras.tally",
    settings_name="Tally",
    result_name="Tallied",
    example="props/*.obj --least 100",
    files=FileUse(),
    synonyms=("count",),
)
