import {
  Box,
  Button,
  CloseButton,
  Dialog,
  Flex,
  Input,
  NativeSelect,
  Portal,
  Table,
  Text,
} from "@chakra-ui/react";
import { Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { useProfiles } from "../../api/merge";
import type { Profile, Project } from "../../api/client";
import { GOOD_NAME, goodPattern, withoutId } from "./settings";

type Image = Profile["texture"][number];
const CHANNELS = ["red", "green", "blue", "alpha"] as const;
const FRESH: Image = {
  role: "mask",
  channels: ["occlusion", "roughness", "metal"],
  format: "png",
  bits: 0,
};

/** Profiles: which textures an engine wants, and what each of their channels holds. */
export function ProfileDialog({
  project,
  chosen,
  close,
}: {
  project: Project;
  chosen: string;
  close: (name: string | null) => void;
}) {
  const { profiles, sources, save, drop } = useProfiles(project.id);
  const [from, setFrom] = useState(chosen || "packed");
  const [changed, setChanged] = useState<Omit<Profile, "id"> | null>(null);
  const base = profiles.find((one) => one.name === from) ?? profiles[0];
  if (!base) return null;
  const always = base.id === null;
  const profile = changed ?? { ...withoutId(base), name: always ? `my ${base.name}` : base.name };
  const edit = (some: Partial<Profile>) => setChanged({ ...profile, ...some });
  const texture = (at: number, some: Partial<Image>) =>
    edit({ texture: profile.texture.map((one, k) => (k === at ? { ...one, ...some } : one)) });
  const wrong = faultOf(profile);
  return (
    <Dialog.Root
      open
      size="lg"
      onOpenChange={(e) => {
        if (!e.open) close(null);
      }}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="paper" maxW="880px" data-testid="profiles">
            <Dialog.Header pb="1">
              <Dialog.Title fontFamily="heading" fontSize="17px">
                Texture profiles
              </Dialog.Title>
            </Dialog.Header>
            <Dialog.Body fontSize="12.5px">
              <Text color="soft" mb="2">
                The files refer to the textures of their own format. A profile adds others in a
                folder of its own: what is in which channel, which way green points, names and
                sizes.
              </Text>
              <Flex
                gap="3"
                align="center"
                mb="3"
                wrap="wrap"
                css={{ "& label": { display: "flex", alignItems: "center", gap: "6px" } }}
              >
                <label>
                  Begin with{" "}
                  <Pick
                    label="Begin with"
                    wide
                    value={from}
                    options={profiles.map((one) => one.name)}
                    onChange={(name) => {
                      setFrom(name);
                      setChanged(null);
                    }}
                  />
                </label>
                <label>
                  Name{" "}
                  <Input
                    display="inline-block"
                    size="xs"
                    w="150px"
                    value={profile.name}
                    onChange={(e) => edit({ name: e.target.value })}
                  />
                </label>
                <label>
                  Pattern{" "}
                  <Input
                    display="inline-block"
                    size="xs"
                    w="150px"
                    value={profile.naming}
                    onChange={(e) => edit({ naming: e.target.value })}
                  />
                </label>
                <label>
                  Longest side{" "}
                  <Pick
                    label="Longest side"
                    wide
                    value={String(profile.largest)}
                    options={["16384", "8192", "4096", "2048", "1024", "512"]}
                    onChange={(v) => edit({ largest: Number(v) })}
                  />{" "}
                  px
                </label>
              </Flex>
              <Box overflowX="auto">
                <Table.Root
                  size="sm"
                  css={{
                    "& th, & td": { px: "4px", py: "3px", bg: "transparent", borderColor: "line" },
                    "& tr": { bg: "transparent" },
                  }}
                >
                  <Table.Header>
                    <Table.Row>
                      {["texture", ...CHANNELS, "as", "bits"].map((text) => (
                        <Table.ColumnHeader key={text} color="soft" fontWeight="400">
                          {text}
                        </Table.ColumnHeader>
                      ))}
                      <Table.Cell />
                    </Table.Row>
                  </Table.Header>
                  <Table.Body>
                    {profile.texture.map((row, k) => (
                      <Table.Row key={k}>
                        <Table.Cell>
                          <Input
                            aria-label={`Name of texture ${k + 1}`}
                            size="xs"
                            w="88px"
                            value={row.role}
                            onChange={(e) => texture(k, { role: e.target.value })}
                          />
                        </Table.Cell>
                        {CHANNELS.map((name, c) => (
                          <Table.Cell key={name}>
                            <Pick
                              label={`${name} of ${row.role}`}
                              value={row.channels[c] ?? ""}
                              options={c ? ["", ...sources] : sources}
                              onChange={(value) =>
                                texture(k, { channels: withChannel(row.channels, c, value) })
                              }
                            />
                          </Table.Cell>
                        ))}
                        <Table.Cell>
                          <Pick
                            label={`Format of ${row.role}`}
                            narrow
                            value={row.format}
                            options={["png", "webp", "jpeg"]}
                            onChange={(value) => texture(k, { format: value as Image["format"] })}
                          />
                        </Table.Cell>
                        <Table.Cell>
                          <Pick
                            label={`Bits of ${row.role}`}
                            narrow
                            value={String(row.bits)}
                            options={["0", "8", "16"]}
                            names={{ 0: "as is" }}
                            onChange={(value) =>
                              texture(k, { bits: Number(value) as Image["bits"] })
                            }
                          />
                        </Table.Cell>
                        <Table.Cell>
                          <Button
                            size="2xs"
                            px="1"
                            variant="ghost"
                            aria-label={`Take ${row.role} out`}
                            disabled={profile.texture.length < 2}
                            onClick={() =>
                              edit({ texture: profile.texture.filter((_, n) => n !== k) })
                            }
                          >
                            <Trash2 size={13} />
                          </Button>
                        </Table.Cell>
                      </Table.Row>
                    ))}
                  </Table.Body>
                </Table.Root>
              </Box>
              <Button
                mt="1.5"
                size="2xs"
                variant="outline"
                borderColor="line"
                disabled={profile.texture.length >= 32}
                onClick={() =>
                  edit({
                    texture: [...profile.texture, { ...FRESH, role: freeRole(profile.texture) }],
                  })
                }
              >
                <Plus size={13} /> Another texture
              </Button>
              {wrong && (
                <Text role="alert" color="rose" mt="2">
                  {wrong}
                </Text>
              )}
            </Dialog.Body>
            <Dialog.Footer>
              {!always && (
                <Button
                  size="sm"
                  variant="outline"
                  borderColor="line"
                  onClick={() => drop.mutate(base.id!, { onSuccess: () => close("") })}
                >
                  Throw away {base.name}
                </Button>
              )}
              <Button
                size="sm"
                variant="outline"
                borderColor="line"
                onClick={() => close(from)}
                disabled={changed !== null}
              >
                Use {from}
              </Button>
              <Button
                size="sm"
                bg="petrol"
                color="onPetrol"
                disabled={wrong !== ""}
                loading={save.isPending}
                onClick={() => save.mutate(profile, { onSuccess: () => close(profile.name) })}
              >
                Save and use
              </Button>
            </Dialog.Footer>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

/** Channels with one changed: one, three or four of them; those in between are filled. */
function withChannel(channels: string[], at: number, value: string): string[] {
  if (!value) return at === 3 ? channels.slice(0, 3) : channels.slice(0, 1);
  const out = [...channels];
  while (out.length < at) out.push("black");
  out[at] = value;
  while (out.length === 2) out.push("black");
  return out;
}

/** What is wrong with a profile, as the server would say it; nothing when it can be saved. */
function faultOf(profile: Omit<Profile, "id">): string {
  if (!GOOD_NAME.test(profile.name))
    return "Give the profile a name of letters, digits, dots, dashes and spaces.";
  if (!goodPattern(profile.naming))
    return "The pattern needs {role}, or two textures get one name.";
  const roles = profile.texture.map((one) => one.role);
  const odd = roles.find((role, k) => !/^[\w-]{1,40}$/.test(role) || roles.indexOf(role) !== k);
  if (odd !== undefined)
    return `Give each texture a name of its own, of letters, digits and dashes: “${odd}”.`;
  if (profile.texture.some((one) => one.format === "jpeg" && one.channels.length === 4))
    return "JPEG has no alpha: write four channels as PNG or WebP.";
  if (profile.texture.some((one) => one.format !== "png" && one.bits === 16))
    return "16 bits are written as PNG only.";
  return "";
}

function freeRole(textures: Image[]): string {
  const taken = new Set(textures.map((one) => one.role));
  let number = 1;
  while (taken.has(number === 1 ? FRESH.role : `${FRESH.role}${number}`)) number += 1;
  return number === 1 ? FRESH.role : `${FRESH.role}${number}`;
}

type PickProps = {
  label: string;
  value: string;
  options: readonly string[];
  names?: Record<string, string>;
  wide?: boolean;
  narrow?: boolean;
  onChange: (value: string) => void;
};

function Pick({ label, value, options, names, wide, narrow, onChange }: PickProps) {
  return (
    <NativeSelect.Root
      size="xs"
      w={wide ? "150px" : narrow ? "72px" : "122px"}
      display="inline-block"
      verticalAlign="middle"
    >
      <NativeSelect.Field
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {options.map((one) => (
          <option key={one} value={one}>
            {names?.[one] ?? (one || "–")}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
