import type { Operation } from "../api/client";

export type Option = Operation["options"][number];
type Kind = Pick<Option, "kind" | "optional" | "low" | "high" | "choices" | "many" | "keyed">;

/** Between values of an option that has several: a comma may stand within one. */
const BETWEEN = "; ";

/**
 * Those options of an operation that a panel leaves: what is new on the server is here at once.
 * What is selected belongs to no panel.
 */
export function restOf(
  operation: Pick<Operation, "options"> | undefined,
  shown: readonly string[],
): Option[] {
  return (operation?.options ?? []).filter((one) => !one.passing && !shown.includes(one.name));
}

/** The value that a text stands for; undefined for none that the option can have. */
export function readText(option: Kind, text: string): unknown {
  const parts = text
    .split(BETWEEN.trim())
    .map((one) => one.trim())
    .filter(Boolean);
  if (option.keyed) {
    const pairs = parts.map(
      (one) =>
        [
          one.slice(0, one.lastIndexOf("=")).trim(),
          readOne(option, one.slice(one.lastIndexOf("=") + 1)),
        ] as const,
    );
    return pairs.every(([name, value]) => name && value !== undefined)
      ? Object.fromEntries(pairs)
      : undefined;
  }
  if (!option.many) return readOne(option, text);
  const values = parts.map((one) => readOne(option, one));
  return values.includes(undefined) ? undefined : values;
}

function readOne(option: Kind, text: string): string | number | null | undefined {
  const typed = text.trim();
  if (option.kind === "text") return typed;
  if (!typed) return option.optional ? null : undefined;
  if (option.kind === "special") return typed;
  if (option.kind === "choice")
    return (option.choices as (string | number)[]).find((one) => String(one) === typed);
  const value = Number(typed.replace(",", "."));
  const whole = option.kind !== "whole" || Number.isInteger(value);
  return Number.isFinite(value) &&
    whole &&
    value >= (option.low ?? -Infinity) &&
    value <= (option.high ?? Infinity)
    ? value
    : undefined;
}

/** A value as it is typed. */
export function writeText(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (Array.isArray(value))
    return value
      .map((one: unknown) => (Array.isArray(one) ? one.join(",") : String(one)))
      .join(BETWEEN);
  return typeof value === "object"
    ? Object.entries(value)
        .map(([name, one]) => `${name}=${String(one)}`)
        .join(BETWEEN)
    : String(value as string | number);
}
