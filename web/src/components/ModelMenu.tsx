import { Box, Button, IconButton, Popover, Portal } from "@chakra-ui/react";
import { Eye } from "lucide-react";
import { useState } from "react";
import { useEditor } from "../api/hooks";
import { SIDES } from "../editor/view/ViewManager";

/** Ways of looking at the model: from a side, through it, or with its objects spread out. */
export function ModelMenu() {
  const editor = useEditor("view");
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
          title="From a side, through it, spread out"
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
            {(
              [
                ["See through", "xray", "what lies behind shows too"],
                [
                  "Spread out",
                  "spread",
                  "objects that stand in one another, side by side; the files stay as they are",
                ],
              ] as const
            ).map(([name, key, hint]) => (
              <Button
                key={key}
                size="2xs"
                mt="1"
                w="100%"
                variant={view[key] ? "solid" : "outline"}
                bg={view[key] ? "petrol" : undefined}
                color={view[key] ? "onPetrol" : undefined}
                borderColor="line"
                aria-pressed={view[key]}
                title={hint}
                onClick={() => editor.showModel({ [key]: !view[key] })}
              >
                {name}
              </Button>
            ))}
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
