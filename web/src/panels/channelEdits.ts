export type ChannelEdit = { kind: "copy" | "move" | "swap" | "delete"; one: number; two: number };

/** An edit as the server takes it. */
export const editText = ({ kind, one, two }: ChannelEdit): string =>
  kind === "delete" ? `delete ${one}` : `${kind} ${one}${kind === "swap" ? "," : "="}${two}`;
