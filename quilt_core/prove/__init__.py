"""Is a layout safe to bake: findings, verdict and proof."""

from typing import TYPE_CHECKING

from quilt_core.lazy import lazily
from quilt_core.prove.findings import KINDS, Finding, Kind
from quilt_core.prove.rules import Ignored, Rules, read_rules

if TYPE_CHECKING:
    from quilt_core.prove.proof import Proof, prove
else:
    __getattr__ = lazily(__name__, {"Proof": "proof", "prove": "proof"})

__all__ = ["KINDS", "Finding", "Ignored", "Kind", "Proof", "Rules", "prove", "read_rules"]
