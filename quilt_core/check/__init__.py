"""Is a layout safe to bake: findings, verdict and report."""

from typing import TYPE_CHECKING

import lazy_loader

from quilt_core.check.findings import FINDING_KINDS, Finding, Kind
from quilt_core.check.rules import Ignored, Rules, read_rules

if TYPE_CHECKING:
    from quilt_core.check.check import CheckResult, check_layout
else:
    __getattr__, __dir__, _ = lazy_loader.attach(
        __name__, submod_attrs={"check": ["CheckResult", "check_layout"]}
    )

__all__ = [
    "FINDING_KINDS",
    "CheckResult",
    "Finding",
    "Ignored",
    "Kind",
    "Rules",
    "check_layout",
    "read_rules",
]
