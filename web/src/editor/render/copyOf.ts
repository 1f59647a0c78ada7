/** A copy of canvases that lie on one another, at the size of the first. */
export function copyOf(canvases: readonly HTMLCanvasElement[]): string {
  const out = document.createElement("canvas");
  Object.assign(out, { width: canvases[0].width, height: canvases[0].height });
  const ctx = out.getContext("2d")!;
  for (const canvas of canvases) ctx.drawImage(canvas, 0, 0, out.width, out.height);
  return out.toDataURL();
}
