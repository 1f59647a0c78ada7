"""Is a layout safe to bake: findings, verdict and proof."""

from quilt_core.prove.findings import KINDS, Finding, Kind
from quilt_core.prove.proof import Proof, prove
from quilt_core.prove.rules import Ignored, Rules, read_rules

__all__ = ["KINDS", "Finding", "Ignored", "Kind", "Proof", "Rules", "prove", "read_rules"]
