"""A texture profile: colour, and one texture of masks."""

from quilt_core.textures.profile import Profile, ProfilePicture

MASK = Profile(
    "studio mask",
    (
        ProfilePicture("colour", ("colour.red", "colour.green", "colour.blue")),
        ProfilePicture("mask", ("metal", "roughness", "occlusion")),
    ),
)
