/** Selections with a name, kept in this browser, by the keys of their islands (see `LayoutDocument.keyOf`). */
export type SavedSelection = { name: string; keys: string[] };

const place = (project: number) => `quilt-selections-${project}`;

export function savedSelections(project: number): SavedSelection[] {
  try {
    const rows: unknown = JSON.parse(localStorage.getItem(place(project)) ?? "[]");
    return Array.isArray(rows) ? rows.filter(isSaved) : [];
  } catch {
    return [];
  }
}

/** Keep a selection; one of the same name is replaced, one without islands forgotten. */
export function saveSelection(project: number, name: string, keys: string[]): void {
  const others = savedSelections(project).filter((row) => row.name !== name);
  localStorage.setItem(
    place(project),
    JSON.stringify(keys.length ? [...others, { name, keys }] : others),
  );
}

const isSaved = (row: unknown): row is SavedSelection =>
  typeof row === "object" &&
  row !== null &&
  typeof (row as SavedSelection).name === "string" &&
  Array.isArray((row as SavedSelection).keys);
