import { Box, Button } from "@chakra-ui/react";
import type { Command } from "../commands/command";

const HEIGHT = 25;

type Props = {
  at: [number, number];
  room: { width: number; height: number };
  commands: Command[];
  close: () => void;
  position?: "absolute" | "fixed";
};

/** What can be said about the selected islands, at the pointer. */
export function IslandMenu({ at: [x, y], room, commands, close, position = "absolute" }: Props) {
  const shown = commands.filter((c) => !c.lacks);
  const height = Math.min(shown.length * HEIGHT + 10, room.height - 8);
  return (
    <Box
      role="menu"
      aria-label="Islands"
      position={position}
      left={`${Math.max(4, Math.min(x, room.width - 186))}px`}
      top={`${Math.max(4, Math.min(y, room.height - height - 4))}px`}
      w="182px"
      maxH={`${height}px`}
      overflowY="auto"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      rounded="md"
      shadow="md"
      p="1"
      zIndex={position === "fixed" ? "popover" : "3"}
      onPointerDown={(e) => e.stopPropagation()}
      onPointerUp={(e) => e.stopPropagation()}
      onContextMenu={(e) => {
        e.preventDefault();
        e.stopPropagation();
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        const near =
          e.key === "ArrowDown"
            ? document.activeElement?.nextElementSibling
            : e.key === "ArrowUp"
              ? document.activeElement?.previousElementSibling
              : null;
        if (near instanceof HTMLElement) near.focus();
        if (e.key === "Escape") close();
      }}
    >
      {shown.map((command, i) => (
        <Button
          key={command.id}
          role="menuitem"
          autoFocus={i === 0}
          variant="ghost"
          size="2xs"
          w="100%"
          h={`${HEIGHT}px`}
          justifyContent="flex-start"
          fontWeight="400"
          fontSize="12.5px"
          title={command.hint}
          onClick={() => {
            command.run();
            close();
          }}
        >
          {command.on ? "✓ " : ""}
          {command.label}
        </Button>
      ))}
    </Box>
  );
}
