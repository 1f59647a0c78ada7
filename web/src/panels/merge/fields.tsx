import { Flex, NativeSelect } from "@chakra-ui/react";

/** A label and its field. */
export function Row({
  label,
  id,
  children,
}: {
  label: string;
  id: string;
  children: React.ReactNode;
}) {
  return (
    <Flex align="center" justify="space-between" mb="1.5" gap="2">
      <label htmlFor={id} style={{ whiteSpace: "nowrap" }}>
        {label}
      </label>
      {children}
    </Flex>
  );
}

/** One of several. */
export function Pick({
  id,
  value,
  options,
  onChange,
}: {
  id: string;
  value: string;
  options: Record<string, string>;
  onChange: (value: string) => void;
}) {
  return (
    <NativeSelect.Root size="xs" w="150px" minW="0" flexShrink="1">
      <NativeSelect.Field id={id} value={value} onChange={(e) => onChange(e.target.value)}>
        {Object.entries(options).map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
