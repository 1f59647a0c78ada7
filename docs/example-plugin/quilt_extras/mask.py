"""A texture profile: colour, and one texture of masks."""

from quilt_core.textures.profile import Profile, ProfileTexture

MASK = Profile(
    "studio mask",
    (
        ProfileTexture("colour", ("colour.red", "colour.green", "colour.blue")),
        ProfileTexture("mask", ("metal", "roughness", "occlusion")),
    ),
)
