import { Box, Button, Input } from "@chakra-ui/react";
import { useEffect, useId, useState } from "react";
import { useOperation } from "../api/operations";
import { action } from "../format";
import { useKept } from "../state";
import { Pick, Row } from "./merge/fields";
import { readText, restOf, writeText, type Option } from "./options";
import { Check } from "./parts";

type Values = Record<string, unknown>;

/**
 * Settings of an operation that a panel does not show by itself, as they were chosen last; those
 * that are as usual are left out.
 */
export function useMore(operation: string, shown: readonly string[]): object {
  const [kept] = useKept<Values>(`more ${operation}`, {});
  const options = restOf(useOperation(operation), shown);
  return Object.fromEntries(
    options.filter((one) => one.name in kept).map((one) => [one.name, kept[one.name]]),
  );
}

/** Fields for what a panel does not show by itself, behind a word that unfolds them. */
export function MoreOptions({
  operation,
  shown,
  folded = true,
}: {
  operation: string;
  shown: readonly string[];
  folded?: boolean;
}) {
  const [kept, keep] = useKept<Values>(`more ${operation}`, {});
  const [open, setOpen] = useKept(`more ${operation} open`, false);
  const options = restOf(useOperation(operation), shown);
  if (!options.length) return null;
  const set = (option: Option, value: unknown) => {
    const rest = Object.fromEntries(Object.entries(kept).filter(([name]) => name !== option.name));
    keep(
      JSON.stringify(value) === JSON.stringify(option.default)
        ? rest
        : { ...rest, [option.name]: value },
    );
  };
  return (
    <Box data-more={operation}>
      {folded && (
        <Button
          size="2xs"
          variant="plain"
          px="0"
          color="petrol"
          fontSize="12.5px"
          mb="1"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {open ? "Fewer settings" : "More settings"}
        </Button>
      )}
      {(open || !folded) &&
        options.map((one) => (
          <Box key={one.name} title={said(one)} data-setting={one.name}>
            <Field
              option={one}
              value={one.name in kept ? kept[one.name] : one.default}
              set={(value) => set(one, value)}
            />
          </Box>
        ))}
    </Box>
  );
}

export const named = (name: string) => {
  const text = action(name.replaceAll("_", "-"));
  return text.charAt(0).toUpperCase() + text.slice(1);
};
const said = (option: Option) =>
  `${option.help.charAt(0).toUpperCase()}${option.help.slice(1)}${option.unit ? `, ${option.unit}` : ""}`;

function Field({
  option,
  value,
  set,
}: {
  option: Option;
  value: unknown;
  set: (value: unknown) => void;
}) {
  const id = useId();
  if (option.kind === "flag" && !option.many)
    return <Check label={named(option.name)} value={value === true} onChange={set} />;
  if (option.kind === "choice" && !option.many && !option.keyed) {
    const options = {
      ...(option.optional ? { "": "as usual" } : {}),
      ...Object.fromEntries(
        (option.choices as (string | number)[]).map((one) => [String(one), String(one)]),
      ),
    };
    return (
      <Row label={named(option.name)} id={id}>
        <Pick
          id={id}
          value={String(value ?? "")}
          options={options}
          onChange={(text) =>
            set((option.choices as unknown[]).find((one) => String(one) === text) ?? null)
          }
        />
      </Row>
    );
  }
  return (
    <Row label={`${named(option.name)}${option.unit ? `, ${option.unit}` : ""}`} id={id}>
      <Typed id={id} option={option} value={value} set={set} />
    </Row>
  );
}

/** What is typed counts once it is left or Enter is pressed; what cannot be is taken back. */
function Typed({
  id,
  option,
  value,
  set,
}: {
  id: string;
  option: Option;
  value: unknown;
  set: (value: unknown) => void;
}) {
  const shown = writeText(value);
  const long = option.many || option.keyed || option.kind === "text" || option.kind === "special";
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const read = readText(option, text);
    if (read === undefined) setText(shown);
    else set(read);
  };
  return (
    <Input
      id={id}
      size="xs"
      w="96px"
      textAlign={long ? "left" : "right"}
      placeholder={option.optional ? "as usual" : option.shape}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
      }}
    />
  );
}
