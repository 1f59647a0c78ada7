import { api, ask, Explained, type Job } from "./client";
import { isActive } from "./hooks";

const ASK_EVERY = 150;

/** Waits until a job is done; throws its error when it failed, and cancels it when nobody waits any more. */
export async function jobDone(job: Job, signal: AbortSignal): Promise<Job> {
  const path = { params: { path: { job_id: job.id } } };
  let now = job;
  while (isActive(now)) {
    await new Promise((resolve) => setTimeout(resolve, ASK_EVERY));
    if (signal.aborted) {
      void api.POST("/api/jobs/{job_id}/cancel/", { ...path, body: { keep: false } });
      throw new Error("Nobody waits for it any more.");
    }
    now = await ask(api.GET("/api/jobs/{job_id}/", path));
  }
  if (now.state === "done") return now;
  const told = (now.error ?? {}) as { what?: string; where?: string; fix?: string };
  throw new Explained(told.what ?? now.message ?? "It was stopped.", told.where, told.fix);
}
