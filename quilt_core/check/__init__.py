"""Is a layout safe to bake: findings, verdict and proof."""

from typing import TYPE_CHECKING

from quilt_core.check.findings import KINDS, Finding, Kind
from quilt_core.check.rules import Ignored, Rules, read_rules
from quilt_core.lazy import lazily

if TYPE_CHECKING:
    from quilt_core.check.check import CheckResult, check_layout
else:
    __getattr__ = lazily(__name__, {"CheckResult": "check", "check_layout": "check"})

__all__ = [
    "KINDS",
    "CheckResult",
    "Finding",
    "Ignored",
    "Kind",
    "Rules",
    "check_layout",
    "read_rules",
]
