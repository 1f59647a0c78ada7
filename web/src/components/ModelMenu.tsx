import { Box, Button, IconButton, Popover, Portal } from "@chakra-ui/react";
import { Eye } from "lucide-react";
import { useState } from "react";
import { useEditor } from "../api/hooks";
import type { Standing } from "../editor/surface/spread";
import { SIDES } from "../editor/view/ViewManager";

/** Ways of looking at the model: from a side, through it, or side by side. */
export function ModelMenu() {
  const editor = useEditor("document", "view");
  const [open, setOpen] = useState(false);
  const { view } = editor;
  return (
    <Popover.Root
      open={open}
      onOpenChange={(e) => setOpen(e.open)}
      positioning={{ placement: "bottom-end" }}
      lazyMount
      unmountOnExit
    >
      <Popover.Trigger asChild>
        <IconButton
          size="2xs"
          variant="ghost"
          aria-label="Ways of looking at the model"
          title="From a side, through it, side by side"
        >
          <Eye />
        </IconButton>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="panel" w="178px" p="2" aria-label="Ways of looking at the model">
            <Box display="grid" gridTemplateColumns="1fr 1fr" gap="1">
              {Object.keys(SIDES).map((side) => (
                <Button
                  key={side}
                  size="2xs"
                  variant="outline"
                  borderColor="line"
                  onClick={() => editor.lookFrom(side)}
                >
                  {side}
                </Button>
              ))}
            </Box>
            <Toggle
              name="See through"
              hint="what lies behind shows too"
              on={view.xray}
              turn={() => editor.showModel({ xray: !view.xray })}
            />
            {STANDINGS.map(([name, standing, hint]) => (
              <Toggle
                key={standing}
                name={name}
                hint={hint}
                on={editor.standing === standing}
                turn={() => editor.showModel({ standing })}
              />
            ))}
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

const STANDINGS: [string, Standing, string][] = [
  ["In place", "in place", "where the files say that they stand"],
  ["Files apart", "files apart", "each file beside the others; the files stay as they are"],
  ["Objects apart", "objects apart", "each object beside the others; the files stay as they are"],
];

type ToggleProps = { name: string; hint: string; on: boolean; turn: () => void };

function Toggle({ name, hint, on, turn }: ToggleProps) {
  return (
    <Button
      size="2xs"
      mt="1"
      w="100%"
      variant={on ? "solid" : "outline"}
      bg={on ? "petrol" : undefined}
      color={on ? "onPetrol" : undefined}
      borderColor="line"
      aria-pressed={on}
      title={hint}
      onClick={turn}
    >
      {name}
    </Button>
  );
}
