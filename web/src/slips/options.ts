import type { Operation } from "../api/client";

export type Option = Operation["options"][number];

const SINGLE = (option: Option) => !option.many && !option.keyed && option.kind !== "special";

/** Those options of an operation that a slip leaves: what is new on the server is here at once. */
export function restOf(operation: Pick<Operation, "options"> | undefined, shown: readonly string[]): Option[] {
  return (operation?.options ?? []).filter((one) => SINGLE(one) && !shown.includes(one.name));
}

/** The value that a text stands for; undefined for none that the option can have. */
export function readText(option: Pick<Option, "kind" | "optional" | "low" | "high">, text: string): string | number | null | undefined {
  const typed = text.trim();
  if (option.kind === "text") return typed;
  if (!typed) return option.optional ? null : undefined;
  const value = Number(typed.replace(",", "."));
  const whole = option.kind !== "whole" || Number.isInteger(value);
  return Number.isFinite(value) && whole && value >= (option.low ?? -Infinity) && value <= (option.high ?? Infinity) ? value : undefined;
}
