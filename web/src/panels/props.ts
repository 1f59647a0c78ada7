import type { Atlas, Job, Project } from "../api/client";

/** Send files, with the length of a unit in metres. */
type Upload = (files: File[], metresPerUnit?: number) => Promise<void>;

/** What every panel gets. */
export type PanelProps = {
  project: Project;
  atlas: Atlas;
  jobs: Job[];
  upload: Upload;
};
