import {
  Box,
  Button,
  Checkbox,
  Flex,
  Heading,
  Input,
  SegmentGroup,
  Slider,
  Text,
} from "@chakra-ui/react";
import { createContext, useContext, useEffect, useId, useState, type ReactNode } from "react";
import { createPortal } from "react-dom";
import type { Job } from "../api/client";
import { isActive } from "../api/hooks";
import { JobLine } from "../components/TopBar";
import { keysOf, shownKeys, useKeys } from "../shortcuts";

/** Where the feet of slips are put: below what scrolls. */
export const FootPlace = createContext<HTMLElement | null>(null);

export function Title({ children, note }: { children: ReactNode; note: ReactNode }) {
  return (
    <Box mb="2.5">
      <Heading as="h2" fontFamily="heading" fontSize="17px" fontWeight="650">
        {children}
      </Heading>
      <Text color="soft" fontSize="12.5px" lineHeight="1.35">
        {note}
      </Text>
    </Box>
  );
}

type PagesProps<T extends string> = {
  label: string;
  pages: readonly T[];
  page: T;
  turn: (page: T) => void;
};

/** The pages of a panel, as a row of tabs that stays in sight. */
export function Pages<T extends string>(props: PagesProps<T>) {
  return (
    <Box
      mx="-4px"
      mt="-12px"
      pt="10px"
      mb="2.5"
      position="sticky"
      top="-12px"
      zIndex="2"
      bg="panel"
      borderBottomWidth="1.5px"
      borderBottomStyle="dashed"
      borderColor="line"
    >
      <Tabs {...props} />
    </Box>
  );
}

/** A row of tabs. */
export function Tabs<T extends string>({ label, pages, page, turn }: PagesProps<T>) {
  return (
    <Flex
      role="tablist"
      aria-label={label}
      justify={pages.length > 3 ? "space-between" : "flex-start"}
      gap={pages.length > 3 ? "0" : "3"}
    >
      {pages.map((name) => (
        <Button
          key={name}
          role="tab"
          aria-selected={page === name}
          variant="plain"
          size="2xs"
          px="1"
          h="24px"
          rounded="0"
          fontSize="12.5px"
          fontWeight={page === name ? "700" : "400"}
          color={page === name ? "ink" : "soft"}
          borderWidth="0"
          borderBottomWidth="2px"
          borderColor={page === name ? "petrol" : "transparent"}
          onClick={() => turn(name)}
        >
          {name}
        </Button>
      ))}
    </Flex>
  );
}

type NumberProps = {
  label: string;
  unit: string;
  min: number;
  max: number;
  step?: number;
} & (
  | { value: number; none?: undefined; onChange: (value: number) => void }
  /** A number that need not be: `none` is what counts without it. */
  | { value: number | null; none: string; onChange: (value: number | null) => void }
);
type Part<T, Left extends PropertyKey> = T extends unknown ? Omit<T, Left> : never;

/** A number with its unit. What is typed counts once it is left or Enter is pressed. */
export function NumberField({ label, unit, ...field }: NumberProps) {
  const id = useId();
  return (
    <Flex align="center" justify="space-between" mb="1.5">
      <label htmlFor={id}>{label}</label>
      <Flex align="center" gap="1">
        <NumberInput id={id} {...field} />
        <Text color="soft" minW="30px">
          {unit}
        </Text>
      </Flex>
    </Flex>
  );
}

/** A number as it is typed; what is none, or out of its range, gives way to the one before. */
export function NumberInput({
  id,
  label,
  inline = false,
  narrow = false,
  min,
  max,
  step = 1,
  ...kept
}: Part<NumberProps, "unit" | "label"> & {
  id?: string;
  label?: string;
  inline?: boolean;
  narrow?: boolean;
}) {
  const { value, none, onChange } = kept;
  const shown = value === null ? "" : String(value);
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const typed = Number(text.replace(",", "."));
    const ok = text.trim() !== "" && Number.isFinite(typed) && typed >= min && typed <= max;
    if (ok) onChange(typed);
    else if (text.trim() === "" && kept.none !== undefined) kept.onChange(null);
    else setText(shown);
  };
  return (
    <Input
      id={id}
      aria-label={label}
      size={inline ? "2xs" : "xs"}
      display={inline ? "inline-block" : undefined}
      w={inline || narrow ? "56px" : "74px"}
      textAlign="right"
      inputMode="decimal"
      placeholder={none}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        const by = e.key === "ArrowUp" ? step : e.key === "ArrowDown" ? -step : 0;
        if (by && value !== null) {
          e.preventDefault();
          onChange(Math.min(max, Math.max(min, value + by * (e.shiftKey ? 4 : 1))));
        }
      }}
    />
  );
}

type ChoiceProps<T extends string> = {
  label: string;
  value: T;
  options: readonly T[];
  onChange: (value: T) => void;
  names?: Partial<Record<T, string>>;
};

export function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
  names,
}: ChoiceProps<T>) {
  return (
    <Box mb="2">
      <Text mb="1">{label}</Text>
      <SegmentGroup.Root
        size="xs"
        w="100%"
        value={value}
        onValueChange={(e) => onChange(e.value as T)}
        bg="table"
        aria-label={label}
      >
        <SegmentGroup.Indicator bg="petrol" />
        {options.map((option) => (
          <SegmentGroup.Item
            key={option}
            value={option}
            flex="1"
            justifyContent="center"
            color={value === option ? "onPetrol" : "ink"}
          >
            <SegmentGroup.ItemText fontSize="12px" color="inherit">
              {names?.[option] ?? option}
            </SegmentGroup.ItemText>
            <SegmentGroup.ItemHiddenInput />
          </SegmentGroup.Item>
        ))}
      </SegmentGroup.Root>
    </Box>
  );
}

export function MainButton({
  children,
  onClick,
  disabled,
  busy,
}: {
  children: ReactNode;
  onClick: () => void;
  disabled?: boolean;
  busy?: boolean;
}) {
  const key = keysOf(useKeys().changed)["main-button"];
  return (
    <Button
      w="100%"
      h="34px"
      mt="1"
      bg="petrol"
      color="onPetrol"
      fontWeight="600"
      fontSize="13.5px"
      _hover={{ bg: "ink", color: "panel" }}
      disabled={disabled}
      loading={busy}
      onClick={onClick}
      data-main
      title={key && shownKeys(key)}
    >
      {children}
    </Button>
  );
}

/** The lower edge of a panel: what it can do stays in sight however long the panel is. */
export function Foot({ children }: { children: ReactNode }) {
  const place = useContext(FootPlace);
  const foot = (
    <Box
      pl="14px"
      pr="28px"
      pt="1.5"
      pb="12px"
      bg="panel"
      borderTopWidth="1.5px"
      borderTopStyle="dashed"
      borderColor="line"
    >
      {children}
    </Box>
  );
  return place ? createPortal(foot, place) : foot;
}

/** The running job of a kind in its panel, with progress and cancel. */
export function Running({ jobs, kind }: { jobs: Job[]; kind: string }) {
  const job = jobs.find((j) => j.kind === kind && isActive(j));
  return job ? (
    <Box mt="2">
      <JobLine job={job} />
    </Box>
  ) : null;
}

export const running = (jobs: Job[], kind: string) =>
  jobs.some((j) => j.kind === kind && isActive(j));

export function Check({
  label,
  value,
  onChange,
}: {
  label: string;
  value: boolean;
  onChange: (value: boolean) => void;
}) {
  return (
    <Checkbox.Root
      size="sm"
      mb="1.5"
      checked={value}
      onCheckedChange={(e) => onChange(e.checked === true)}
      display="flex"
    >
      <Checkbox.HiddenInput />
      <Checkbox.Control borderColor="soft" />
      <Checkbox.Label fontSize="13px" fontWeight="400">
        {label}
      </Checkbox.Label>
    </Checkbox.Root>
  );
}

/** A strength from 0 to 1 with a word at each end. */
export function Range({
  label,
  value,
  left,
  right,
  onChange,
}: {
  label: string;
  value: number;
  left: string;
  right: string;
  onChange: (value: number) => void;
}) {
  return (
    <Slider.Root
      size="sm"
      mb="2"
      min={0}
      max={1}
      step={0.05}
      value={[value]}
      onValueChange={(e) => onChange(e.value[0])}
      aria-label={[label]}
    >
      <Flex justify="space-between">
        <Slider.Label fontSize="13px" fontWeight="400">
          {label}
        </Slider.Label>
        <Text color="soft">{Math.round(100 * value)} %</Text>
      </Flex>
      <Slider.Control>
        <Slider.Track bg="line">
          <Slider.Range bg="petrol" />
        </Slider.Track>
        <Slider.Thumb index={0} bg="panel" borderColor="petrol" />
      </Slider.Control>
      <Flex justify="space-between" color="soft" fontSize="12px">
        <Text>{left}</Text>
        <Text>{right}</Text>
      </Flex>
    </Slider.Root>
  );
}
