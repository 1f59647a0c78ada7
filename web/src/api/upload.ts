import { api, ask, Explained, uploadFiles } from "./client";
import { sendWhenBack } from "./connection";

/**
 * Send files into a project; while the server is away they wait, as changes do. An upload that may
 * have arrived, as files came in since, is never sent twice: that is told.
 *
 * @param seen The newest step that the page knows of.
 */
export async function bringIn(
  project: number,
  files: File[],
  metresPerUnit: number,
  seen: number,
): Promise<void> {
  let tried = false;
  await sendWhenBack(async () => {
    if (tried && (await cameSince(project, seen)))
      throw new Explained(
        "The connection was lost while files were sent, and files have come in since.",
        files
          .map((file) => file.name)
          .slice(0, 3)
          .join(", "),
        "Look whether they are in the list of objects; bring them in again if they are not.",
      );
    tried = true;
    await uploadFiles(project, files, metresPerUnit);
  });
}

/** Whether files came in after a step. */
async function cameSince(project: number, seen: number): Promise<boolean> {
  const path = { params: { path: { project_id: project } } };
  const { steps } = await ask(api.GET("/api/projects/{project_id}/history/", path));
  return steps.some(({ id, verb }) => id > seen && verb === "gather");
}
