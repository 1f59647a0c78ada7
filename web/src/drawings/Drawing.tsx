import { Box } from "@chakra-ui/react";
import { DRAWINGS } from "./drawings";

const SIDE = 20;
const ARROW = 12;

const STYLES: Record<string, React.SVGProps<SVGPathElement>> = {
  o: { fill: "var(--drawn-cloth)", stroke: "currentColor" },
  h: { fill: "var(--drawn-about)", stroke: "currentColor" },
  s: { stroke: "currentColor", strokeDasharray: "2.2 1.6" },
  t: { stroke: "currentColor", strokeWidth: 1 },
  b: { stroke: "var(--drawn-bold)", strokeWidth: 2.4 },
  p: { stroke: "var(--drawn-bold)", strokeWidth: 4.4 },
  x: { fill: "var(--drawn-wrong-fill)", stroke: "var(--drawn-wrong)", strokeWidth: 1.7 },
};

/** The small drawing of a tool, an edit or a finding beside its word; nothing where there is none. */
export function Drawing({ of, height = 18 }: { of: string; height?: number }) {
  const states = DRAWINGS[of];
  if (!states) return null;
  const width = states.length === 1 ? SIDE : 2 * SIDE + ARROW;
  return (
    <Box
      as="span"
      display="inline-flex"
      flexShrink="0"
      aria-hidden
      data-drawing={of}
      css={{
        "--drawn-cloth": "color-mix(in srgb, var(--chakra-colors-petrol) 22%, transparent)",
        "--drawn-about": "color-mix(in srgb, var(--chakra-colors-straw) 85%, transparent)",
        "--drawn-bold": "var(--chakra-colors-petrol)",
        "--drawn-wrong": "var(--chakra-colors-rose)",
        "--drawn-wrong-fill": "color-mix(in srgb, var(--chakra-colors-rose) 30%, transparent)",
        "& svg": { width: "auto", height: `${height}px` },
      }}
    >
      <svg
        viewBox={`0 0 ${width} ${SIDE}`}
        fill="none"
        strokeWidth="1.3"
        strokeLinecap="round"
        strokeLinejoin="round"
      >
        <State parts={states[0]} />
        {states.length === 2 && (
          <>
            <path
              d={`M${SIDE + 2} 10h7m-2.5-2.5l2.5 2.5l-2.5 2.5`}
              stroke="currentColor"
              strokeWidth="1.2"
            />
            <g transform={`translate(${SIDE + ARROW} 0)`}>
              <State parts={states[1]} />
            </g>
          </>
        )}
      </svg>
    </Box>
  );
}

function State({ parts }: { parts: string }) {
  return parts.split("; ").map((part, k) => {
    const { fill = "none", ...style } = STYLES[part[0]];
    // What is not closed has no inside.
    return <path key={k} d={part.slice(2)} {...style} fill={/z$/i.test(part) ? fill : "none"} />;
  });
}
