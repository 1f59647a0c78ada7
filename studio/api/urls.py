"""Routes of the API."""

from typing import Any

from django.urls import include, path, re_path

from studio.api import atlas_views as a
from studio.api import check_views as p
from studio.api import control_views as c
from studio.api import image_views as images
from studio.api import job_views as jobs
from studio.api import live_views as live
from studio.api import people_views as people
from studio.api import project_views as j
from studio.api import run_views as run
from studio.api import share_views as share
from studio.api import texture_views as carry
from studio.api import tile_image_views as behind
from studio.api import transfer_views as transfer
from studio.api import unwrap_views as mend
from studio.api import views as v
from studio.api import watch_views as watch
from studio.api.operations import Operations, operation_views


def under(prefix: str, *routes: Any) -> Any:
    """Routes that begin in the same way: looked through only for addresses that do."""
    return path(prefix, include(list(routes)))


urlpatterns = [
    under(
        "projects/<int:project_id>/",
        path("", j.OneProject.as_view()),
        path("project.quilt", transfer.ProjectFile.as_view()),
        path("restore/", j.Restore.as_view()),
        path("duplicate/", j.Duplicate.as_view()),
        path("files/", v.Files.as_view()),
        path("jobs/", jobs.Jobs.as_view()),
        path("presets/", c.Presets.as_view()),
        path("undo/", j.Undo.as_view()),
        path("redo/", j.Redo.as_view()),
        path("history/", j.History.as_view()),
        path("history/<int:step_id>/", j.OneStep.as_view()),
        path("atlases/", a.Atlases.as_view()),
        path("loose/", a.LooseObjects.as_view()),
        path("profiles/", carry.Profiles.as_view()),
        path("hand-off/", carry.HandOffTextures.as_view()),
        path("watch/", watch.Watch.as_view()),
        path("run-sheet/", run.RunSheet.as_view()),
        path("run-sheet.toml", run.RunSheetFile.as_view()),
        path("share-plan/", share.SharePlan.as_view()),
        path("share-out/", share.ShareOut.as_view()),
        path("rules/", p.ProjectRules.as_view()),
        path("members/", people.Members.as_view()),
        path("members/<int:user_id>/", people.OneMember.as_view()),
        path("invitations/", people.Invitations.as_view()),
        path("notes/", live.Notes.as_view()),
        path("presence/", live.Presence.as_view()),
        path("live/", live.Live.as_view()),
    ),
    under(
        "atlases/<int:atlas_id>/",
        path("", v.OneAtlas.as_view()),
        path("update/", v.UpdateFile.as_view()),
        *(path(place, view.as_view()) for place, view in operation_views().items()),
        path("control/", c.ControlIslands.as_view()),
        path("tiles/", c.Tiles.as_view()),
        path("drafts/", c.Drafts.as_view()),
        path("objects/", a.MoveObjects.as_view()),
        path("release/", a.ReleaseObjects.as_view()),
        path("islands/", a.MoveIslands.as_view()),
        path("release-islands/", a.ReleaseIslands.as_view()),
        path("name/", a.AtlasName.as_view()),
        path("delete/", a.DeleteAtlas.as_view()),
        path("channel/", a.Channel.as_view()),
        path("cut-link/", mend.CutLink.as_view()),
        path("tile-images/", behind.TileImages.as_view()),
        path("tile-images/<int:tile>/", behind.OneTileImage.as_view()),
        path("given-textures/", carry.GiveTextures.as_view()),
        path("remember/", run.Remember.as_view()),
        path("plan-coverage/", share.PlanCoverage.as_view()),
        path("materials/", carry.Materials.as_view()),
        path("fix/", p.Fix.as_view()),
    ),
    under(
        "revisions/<int:revision_id>/",
        path("plan/", c.Plan.as_view()),
        path("thumbnail.png", images.Thumbnail.as_view()),
        path("", v.OneRevision.as_view()),
        path("placements/", images.Placements.as_view()),
        path("geometry.glb", images.Geometry.as_view()),
        re_path(r"^sheet\.(?P<kind>png|svg)$", images.Sheet.as_view()),
        path("painted/", carry.PaintedModel.as_view()),
        path("check/", p.CheckResult.as_view()),
    ),
    under(
        "jobs/<int:job_id>/",
        path("preview/", images.JobPreview.as_view()),
        path("", jobs.OneJob.as_view()),
        path("cancel/", jobs.CancelJob.as_view()),
        path("download/", images.Download.as_view()),
        path("textures/<str:name>", carry.MergedTexture.as_view()),
        re_path(r"^report\.(?P<kind>html|json)$", p.ReportFile.as_view()),
        path("high-poly/", p.HighPolyMesh.as_view()),
    ),
    path("projects/", j.Projects.as_view()),
    path("project-files/", transfer.ImportProject.as_view()),
    path("drafts/<int:draft_id>/", c.OneDraft.as_view()),
    path("presets/<int:preset_id>/", c.OnePreset.as_view()),
    path("objects/<int:object_id>/corners/", mend.CornersOf.as_view()),
    path("objects/<int:object_id>/seams/", mend.SeamsOf.as_view()),
    path("sources/<int:source_id>/materials/<int:material>/texture/", carry.GiveTexture.as_view()),
    path("profiles/<int:profile_id>/", carry.OneProfile.as_view()),
    path("run-lines/<int:line_id>/", run.OneLine.as_view()),
    path("run-lines/<int:line_id>/run/", run.DoLine.as_view()),
    path("run-lines/<int:line_id>/put-back/", run.PutBack.as_view()),
    path("run-lines/<int:line_id>/results/<str:name>.zip", run.LineResult.as_view()),
    path("sources/<int:source_id>/textures/<int:number>/", carry.MaterialTexture.as_view()),
    path("me/", people.Me.as_view()),
    path("login/", people.Login.as_view()),
    path("logout/", people.Logout.as_view()),
    path("join/", people.Join.as_view()),
    path("tokens/", people.Tokens.as_view()),
    path("tokens/<int:token_id>/", people.OneToken.as_view()),
    path("invitations/<int:invitation_id>/", people.OneInvitation.as_view()),
    path("notes/<int:note_id>/", live.OneNote.as_view()),
    path("operations/", Operations.as_view()),
    path("checker.png", images.Checker.as_view()),
]
