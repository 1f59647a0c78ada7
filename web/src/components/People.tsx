import {
  Box,
  Button,
  CloseButton,
  Dialog,
  Flex,
  Heading,
  IconButton,
  Input,
  NativeSelect,
  Portal,
  Text,
} from "@chakra-ui/react";
import { Users } from "lucide-react";
import { useState } from "react";
import type { Project } from "../api/client";
import * as format from "../format";
import {
  linkOf,
  logOut,
  useLooksOnly,
  useMe,
  usePeople,
  useTokens,
  type Role,
} from "../api/people";

const ROLES: Role[] = ["viewer", "editor", "owner"];
const WHAT: Record<Role, string> = {
  viewer: "looks and comments",
  editor: "changes the project",
  owner: "also says who may",
};

/** Who may see and change the project; only where accounts are kept. */
export function People({ project }: { project: Project }) {
  const me = useMe().data;
  const looksOnly = useLooksOnly(project.id);
  const [open, setOpen] = useState(false);
  if (!me?.accounts) return null;
  return (
    <>
      {looksOnly && (
        <Text
          hideBelow="xl"
          color="soft"
          fontSize="12.5px"
          whiteSpace="nowrap"
          title="You look and comment in this project; its owner can let you change it, too"
        >
          view only
        </Text>
      )}
      <IconButton
        aria-label="People"
        title={`People of this project; you are ${me.name}${looksOnly ? ", view only" : ""}`}
        size="xs"
        variant="ghost"
        onClick={() => setOpen(true)}
      >
        <Users />
      </IconButton>
      <Dialog.Root
        open={open}
        onOpenChange={(e) => setOpen(e.open)}
        size="md"
        scrollBehavior="inside"
      >
        <Portal>
          <Dialog.Backdrop />
          <Dialog.Positioner>
            <Dialog.Content bg="panel">
              <Dialog.Header pb="1">
                <Dialog.Title fontFamily="heading">People of “{project.name}”</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body>
                <Inside project={project} me={me.id ?? 0} />
              </Dialog.Body>
              <Dialog.Footer justifyContent="space-between">
                <Text color="soft">You are {me.name}.</Text>
                <Button
                  size="xs"
                  variant="outline"
                  borderColor="line"
                  onClick={() => void logOut()}
                >
                  Log out
                </Button>
              </Dialog.Footer>
              <Dialog.CloseTrigger asChild>
                <CloseButton size="sm" />
              </Dialog.CloseTrigger>
            </Dialog.Content>
          </Dialog.Positioner>
        </Portal>
      </Dialog.Root>
    </>
  );
}

function RolePick({
  label,
  value,
  disabled,
  onChange,
}: {
  label: string;
  value: Role;
  disabled?: boolean;
  onChange: (role: Role) => void;
}) {
  return (
    <NativeSelect.Root size="xs" w="96px" flexShrink="0" disabled={disabled}>
      <NativeSelect.Field
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value as Role)}
      >
        {ROLES.map((role) => (
          <option key={role} value={role}>
            {role}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

function Inside({ project, me }: { project: Project; me: number }) {
  const [role, setRole] = useState<Role>("editor");
  const [note, setNote] = useState("");
  const [link, setLink] = useState("");
  const first = usePeople(project.id, false).members;
  const owner = first.find((one) => one.user === me)?.role === "owner";
  const { members, invited, invite, revoke, setRole: give, remove } = usePeople(project.id, owner);
  return (
    <>
      {members.map((one) => (
        <Flex key={one.user} align="center" gap="2" mb="1" data-member={one.name}>
          <Text flex="1" minW="0" truncate>
            {one.name}
            {one.user === me ? " (you)" : ""}
          </Text>
          <RolePick
            label={`Role of ${one.name}`}
            value={one.role}
            disabled={!owner}
            onChange={(to) => give.mutate({ user_id: one.user, role: to })}
          />
          {owner && (
            <Button
              size="2xs"
              variant="ghost"
              aria-label={`Take ${one.name} out`}
              title="No member any more"
              onClick={() => remove.mutate(one.user)}
            >
              ×
            </Button>
          )}
          {!owner && one.user === me && (
            <Button
              size="2xs"
              variant="outline"
              borderColor="line"
              title="The project is in your list no more, until somebody invites you again"
              onClick={() =>
                remove.mutate(me, { onSuccess: () => window.location.assign("/projects") })
              }
            >
              Leave
            </Button>
          )}
        </Flex>
      ))}
      <Text color="soft" fontSize="12px" mt="1">
        {ROLES.map((one) => `${one[0].toUpperCase()}${one.slice(1)}: ${WHAT[one]}`).join(". ")}.
      </Text>
      {owner && (
        <Box mt="4">
          <Heading as="h3" fontSize="14px" mb="1">
            Invite somebody
          </Heading>
          <Flex gap="2">
            <Input
              size="xs"
              placeholder="For whom (a note for you)"
              aria-label="For whom"
              value={note}
              maxLength={120}
              onChange={(e) => setNote(e.target.value)}
            />
            <RolePick label="Role of whoever is invited" value={role} onChange={setRole} />
            <Button
              size="xs"
              bg="petrol"
              color="onPetrol"
              loading={invite.isPending}
              onClick={() =>
                invite.mutate(
                  { role, note },
                  {
                    onSuccess: (made) => {
                      setLink(linkOf(made.word ?? ""));
                      setNote("");
                    },
                  },
                )
              }
            >
              Make a link
            </Button>
          </Flex>
          {link && (
            <Box mt="2">
              <Input
                size="xs"
                readOnly
                aria-label="Link of the invitation"
                value={link}
                onFocus={(e) => e.target.select()}
              />
              <Text color="soft" fontSize="12px">
                It works once, for a week, and is shown only now.{" "}
                <Button
                  size="2xs"
                  variant="plain"
                  px="1"
                  color="petrol"
                  onClick={() => void navigator.clipboard?.writeText(link)}
                >
                  Copy it
                </Button>
              </Text>
            </Box>
          )}
          {invited.map((one) => (
            <Flex key={one.id} align="center" fontSize="12.5px" mt="1">
              <Text flex="1" color="soft">
                {one.note || "Somebody"}, as {one.role}, until {format.day(one.expires)}
              </Text>
              <Button
                size="2xs"
                variant="ghost"
                color="petrol"
                onClick={() => revoke.mutate(one.id)}
              >
                take back
              </Button>
            </Flex>
          ))}
        </Box>
      )}
      <Tokens />
    </>
  );
}

/** What pipelines show instead of a password. */
function Tokens() {
  const { tokens, make, drop } = useTokens();
  const [name, setName] = useState("");
  const [scope, setScope] = useState<"read" | "write">("read");
  const [word, setWord] = useState("");
  return (
    <Box mt="4">
      <Heading as="h3" fontSize="14px" mb="1">
        Your tokens for pipelines
      </Heading>
      {tokens.map((one) => (
        <Flex key={one.id} align="center" fontSize="12.5px">
          <Text flex="1">
            {one.name}{" "}
            <Text as="span" color="soft">
              · {one.scope === "write" ? "reads and writes" : "reads"}
              {one.used ? `, used ${format.day(one.used)}` : ", never used"}
            </Text>
          </Text>
          <Button
            size="2xs"
            variant="ghost"
            color="petrol"
            aria-label={`End the token ${one.name}`}
            onClick={() => drop.mutate(one.id)}
          >
            end
          </Button>
        </Flex>
      ))}
      <Flex gap="2" mt="1">
        <Input
          size="xs"
          placeholder="Name"
          aria-label="Name of the token"
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.target.value)}
        />
        <NativeSelect.Root size="xs" w="150px">
          <NativeSelect.Field
            aria-label="Scope of the token"
            value={scope}
            onChange={(e) => setScope(e.target.value as "read" | "write")}
          >
            <option value="read">reads</option>
            <option value="write">reads and writes</option>
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Button
          size="xs"
          variant="outline"
          borderColor="petrol"
          color="petrol"
          disabled={!name.trim()}
          onClick={() =>
            make.mutate(
              { name: name.trim(), scope },
              {
                onSuccess: (made) => {
                  setWord(made.token ?? "");
                  setName("");
                },
              },
            )
          }
        >
          Make
        </Button>
      </Flex>
      {word && (
        <Box mt="2">
          <Input
            size="xs"
            readOnly
            aria-label="The token"
            value={word}
            onFocus={(e) => e.target.select()}
          />
          <Text color="soft" fontSize="12px">
            Shown only now. A script sends it as “Authorization: Bearer …”.
          </Text>
        </Box>
      )}
    </Box>
  );
}
