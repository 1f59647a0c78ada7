import type { Command } from "./command";
import { SYNONYMS } from "./synonyms";

/**
 * Commands whose label, group or synonyms hold all words that were typed, the best match first; those
 * that cannot be done now come last. Nothing typed: only what can be done.
 */
export function matching(
  commands: Command[],
  typed: string,
  synonyms: Record<string, string> = SYNONYMS,
): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return commands.filter((c) => !c.lacks && !c.aside);
  const score = (c: Command) => {
    const label = c.label.toLowerCase();
    const rest = `${c.group} ${synonyms[c.id] ?? ""}`.toLowerCase();
    if (!words.every((w) => label.includes(w) || rest.includes(w))) return -1;
    const best = label.startsWith(words[0])
      ? 3
      : words.every((w) => label.includes(w))
        ? 2
        : words.every((w) => (synonyms[c.id] ?? "").includes(w))
          ? 1
          : 0;
    return best + (c.lacks ? 0 : 4) - (c.aside ? 2.5 : 0);
  };
  return commands
    .map((command) => ({ command, score: score(command) }))
    .filter((one) => one.score >= 0)
    .sort((a, b) => b.score - a.score)
    .map((one) => one.command);
}
