import { Box, Button, Flex, IconButton, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useContext, useEffect, useRef } from "react";
import { RepeatWrapping, TextureLoader } from "three";
import { ScopeContext } from "../api/actions/act";
import { imageAt, useTileImages, wearImage } from "../api/tileImages";
import { editor, tellError } from "../state";

/** Loads the image that islands of the atlas wear, and says how it repeats. */
export function useWornImage(atlas: number): void {
  const { list } = useTileImages({ id: atlas }, "worn");
  const row = list.at(0);
  const address = row && imageAt(atlas, row, "worn");
  useEffect(() => {
    if (!row || !address) return editor.setWorn(null);
    const { name, repeats, metres } = row;
    const known = editor.view.worn;
    if (known?.texture.name === address) return editor.setWorn({ ...known, name, repeats, metres });
    let wanted = true;
    new TextureLoader().load(
      address,
      (texture) => {
        if (!wanted) return texture.dispose();
        texture.name = address;
        texture.wrapS = texture.wrapT = RepeatWrapping;
        texture.anisotropy = 8;
        editor.setWorn({ texture, name, repeats, metres });
      },
      undefined,
      () => tellError(new Error(`“${name}” could not be loaded.`)),
    );
    return () => {
      wanted = false;
    };
  }, [row, address]);
}

/** Wear an image, and look at it. */
export function useWear(atlas: number): (file: File) => void {
  const client = useQueryClient();
  return (file) =>
    void wearImage(atlas, file)
      .then(() => editor.setView("own image"))
      .catch(tellError)
      .finally(() => client.invalidateQueries({ queryKey: ["tile-images"] }));
}

/** Which image the islands wear, and how often it repeats. */
export function OwnImage() {
  const { atlas } = useContext(ScopeContext);
  const { list, change, take } = useTileImages({ id: atlas }, "worn");
  const wear = useWear(atlas);
  const chooser = useRef<HTMLInputElement>(null);
  const row = list.at(0);
  const long = row?.metres ?? null;
  const set = (text: string) => {
    const value = Number(text.replace(",", "."));
    if (!row || !(value > 0) || !Number.isFinite(value)) return;
    change.mutate({ tile: row.tile, ...(long === null ? { repeats: value } : { metres: value }) });
  };
  const shown = row && `${Number((long ?? row.repeats).toPrecision(4))}`;
  return (
    <Flex fontSize="12px" color="soft" px="1.5" rounded="md" bg="panel/90" align="center" gap="1">
      <input
        ref={chooser}
        type="file"
        accept="image/*,.exr,.tif,.tiff,.tga,.hdr"
        hidden
        aria-label="Image that islands wear"
        onChange={(e) => {
          const [file] = e.target.files ?? [];
          e.target.value = "";
          if (file) wear(file);
        }}
      />
      <Button
        size="2xs"
        variant="ghost"
        h="20px"
        px="1"
        maxW="130px"
        title={row ? `${row.name}: choose another one` : "Choose one, or drop it on the model"}
        onClick={() => chooser.current?.click()}
      >
        <Text truncate>{row?.name ?? "Choose an image…"}</Text>
      </Button>
      {row && (
        <>
          <Input
            key={`${shown}`}
            size="xs"
            h="20px"
            w="44px"
            px="1"
            textAlign="right"
            aria-label={long === null ? "Repeats over a tile" : "Length of the image, m"}
            defaultValue={shown}
            onBlur={(e) => e.target.value !== shown && set(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && set(e.currentTarget.value)}
          />
          <NativeSelect.Root size="xs" w="150px">
            <NativeSelect.Field
              aria-label="How the image repeats"
              h="20px"
              ps="1"
              value={long === null ? "uv" : "world"}
              onChange={(e) =>
                change.mutate({ tile: row.tile, metres: e.target.value === "uv" ? null : 1 })
              }
            >
              <option value="uv">times over a tile</option>
              <option value="world">m at house density</option>
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <IconButton
            size="2xs"
            variant="ghost"
            h="20px"
            aria-label={`Take off ${row.name}`}
            title="Take it off"
            onClick={() => take.mutate(row.tile)}
          >
            <Trash2 size={13} />
          </IconButton>
        </>
      )}
      {!row && <Box as="span">or drop it on the model</Box>}
    </Flex>
  );
}
