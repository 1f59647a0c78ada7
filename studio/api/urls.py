"""Routes of the API."""

from django.urls import path, re_path

from studio.api import atlas_views as a
from studio.api import carry_views as carry
from studio.api import control_views as c
from studio.api import hand_views as hand
from studio.api import job_views as jobs
from studio.api import mend_views as mend
from studio.api import picture_views as pictures
from studio.api import project_views as j
from studio.api import proof_views as p
from studio.api import run_views as run
from studio.api import share_views as share
from studio.api import sheet_picture_views as behind
from studio.api import views as v
from studio.api import watch_views as watch

urlpatterns = [
    path("projects/", j.Projects.as_view()),
    path("projects/<int:project_id>/", j.OneProject.as_view()),
    path("projects/<int:project_id>/restore/", j.Restore.as_view()),
    path("projects/<int:project_id>/duplicate/", j.Duplicate.as_view()),
    path("projects/<int:project_id>/files/", v.Files.as_view()),
    path("projects/<int:project_id>/jobs/", jobs.Jobs.as_view()),
    path("atlases/<int:atlas_id>/", v.OneAtlas.as_view()),
    path("atlases/<int:atlas_id>/even-out/", v.EvenOut.as_view()),
    path("atlases/<int:atlas_id>/bring-again/", v.BringAgain.as_view()),
    path("atlases/<int:atlas_id>/look-around/", v.LookAround.as_view()),
    path("atlases/<int:atlas_id>/pack/", v.Pack.as_view()),
    path("atlases/<int:atlas_id>/control/", c.ControlIslands.as_view()),
    path("atlases/<int:atlas_id>/tiles/", c.Tiles.as_view()),
    path("atlases/<int:atlas_id>/drafts/", c.Drafts.as_view()),
    path("drafts/<int:draft_id>/", c.OneDraft.as_view()),
    path("projects/<int:project_id>/recipes/", c.Recipes.as_view()),
    path("recipes/<int:recipe_id>/", c.OneRecipe.as_view()),
    path("atlases/<int:atlas_id>/stacks/", c.FindStacks.as_view()),
    path("revisions/<int:revision_id>/plan/", c.Plan.as_view()),
    path("revisions/<int:revision_id>/thumbnail.png", pictures.Thumbnail.as_view()),
    path("jobs/<int:job_id>/candidates/", c.Candidates.as_view()),
    path("jobs/<int:job_id>/picture/", pictures.JobPicture.as_view()),
    path("atlases/<int:atlas_id>/export/", v.Export.as_view()),
    path("projects/<int:project_id>/undo/", j.Undo.as_view()),
    path("projects/<int:project_id>/redo/", j.Redo.as_view()),
    path("projects/<int:project_id>/history/", j.History.as_view()),
    path("projects/<int:project_id>/history/<int:step_id>/", j.OneStep.as_view()),
    path("projects/<int:project_id>/atlases/", a.Atlases.as_view()),
    path("projects/<int:project_id>/loose/", a.LooseObjects.as_view()),
    path("atlases/<int:atlas_id>/objects/", a.MoveObjects.as_view()),
    path("atlases/<int:atlas_id>/release/", a.ReleaseObjects.as_view()),
    path("atlases/<int:atlas_id>/islands/", a.MoveIslands.as_view()),
    path("atlases/<int:atlas_id>/release-islands/", a.ReleaseIslands.as_view()),
    path("atlases/<int:atlas_id>/name/", a.AtlasName.as_view()),
    path("atlases/<int:atlas_id>/delete/", a.DeleteAtlas.as_view()),
    path("atlases/<int:atlas_id>/channel/", a.Channel.as_view()),
    path("atlases/<int:atlas_id>/place/", hand.PlaceIslands.as_view()),
    path("atlases/<int:atlas_id>/settle/", hand.SettleIslands.as_view()),
    path("atlases/<int:atlas_id>/make-room/", hand.MakeRoom.as_view()),
    path("atlases/<int:atlas_id>/slip-in/", hand.SlipIn.as_view()),
    path("atlases/<int:atlas_id>/fit-here/", hand.FitHere.as_view()),
    path("atlases/<int:atlas_id>/take-in/", hand.TakeIn.as_view()),
    path("atlases/<int:atlas_id>/flatten/", mend.FlattenObjects.as_view()),
    path("atlases/<int:atlas_id>/copy-layout/", mend.CopyLayout.as_view()),
    path("atlases/<int:atlas_id>/copy-part/", mend.CopyPart.as_view()),
    path("atlases/<int:atlas_id>/cut-link/", mend.CutLink.as_view()),
    path("atlases/<int:atlas_id>/edit/", mend.EditLayout.as_view()),
    path("objects/<int:object_id>/corners/", mend.CornersOf.as_view()),
    path("objects/<int:object_id>/seams/", mend.SeamsOf.as_view()),
    path("revisions/<int:revision_id>/", v.OneRevision.as_view()),
    path("revisions/<int:revision_id>/placements/", pictures.Placements.as_view()),
    path("revisions/<int:revision_id>/geometry.glb", pictures.Geometry.as_view()),
    re_path(r"^revisions/(?P<revision_id>\d+)/sheet\.(?P<kind>png|svg)$", pictures.Sheet.as_view()),
    path("jobs/<int:job_id>/", jobs.OneJob.as_view()),
    path("jobs/<int:job_id>/cancel/", jobs.CancelJob.as_view()),
    path("jobs/<int:job_id>/download/", pictures.Download.as_view()),
    path("atlases/<int:atlas_id>/carry-over/", carry.CarryOver.as_view()),
    path("atlases/<int:atlas_id>/sheet-pictures/", behind.SheetPictures.as_view()),
    path("atlases/<int:atlas_id>/sheet-pictures/<int:tile>/", behind.OneSheetPicture.as_view()),
    path("revisions/<int:revision_id>/painted/", carry.PaintedModel.as_view()),
    path("atlases/<int:atlas_id>/picture-sets/", carry.PictureSets.as_view()),
    path("atlases/<int:atlas_id>/given-pictures/", carry.GivePictures.as_view()),
    path("sources/<int:source_id>/materials/<int:material>/picture/", carry.GivePicture.as_view()),
    path("projects/<int:project_id>/profiles/", carry.Profiles.as_view()),
    path("profiles/<int:profile_id>/", carry.OneProfile.as_view()),
    path("projects/<int:project_id>/watch/", watch.Watch.as_view()),
    path("projects/<int:project_id>/run-sheet/", run.RunSheet.as_view()),
    path("projects/<int:project_id>/run-sheet.toml", run.RunSheetFile.as_view()),
    path("run-lines/<int:line_id>/", run.OneLine.as_view()),
    path("run-lines/<int:line_id>/run/", run.DoLine.as_view()),
    path("run-lines/<int:line_id>/put-back/", run.PutBack.as_view()),
    path("atlases/<int:atlas_id>/remember/", run.Remember.as_view()),
    path("run-lines/<int:line_id>/results/<str:name>.zip", run.LineResult.as_view()),
    path("projects/<int:project_id>/share-plan/", share.SharePlan.as_view()),
    path("projects/<int:project_id>/share-out/", share.ShareOut.as_view()),
    path("atlases/<int:atlas_id>/plan-coverage/", share.PlanCoverage.as_view()),
    path("atlases/<int:atlas_id>/materials/", carry.Materials.as_view()),
    path("sources/<int:source_id>/pictures/<int:number>/", carry.MaterialPicture.as_view()),
    path("jobs/<int:job_id>/pictures/<str:name>", carry.CarriedPicture.as_view()),
    path("atlases/<int:atlas_id>/cure/", p.Cure.as_view()),
    path("atlases/<int:atlas_id>/report/", p.Report.as_view()),
    re_path(r"^jobs/(?P<job_id>\d+)/proof\.(?P<kind>html|json)$", p.ReportFile.as_view()),
    path("projects/<int:project_id>/rules/", p.ProjectRules.as_view()),
    path("atlases/<int:atlas_id>/rehearse/", p.Rehearse.as_view()),
    path("jobs/<int:job_id>/fine/", p.FineMesh.as_view()),
    path("revisions/<int:revision_id>/proof/", p.Proof.as_view()),
    path("pack-options/", v.PackOptions.as_view()),
    path("checker.png", pictures.Checker.as_view()),
]
