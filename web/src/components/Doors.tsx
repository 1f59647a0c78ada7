import { Box, Button, Center, Field, Heading, Input, Spinner, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { invitationOf, join, logIn, logOut, type Me } from "../api/people";

/** A card in the middle of an empty page. */
function Card({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Center as="main" h="100%" bg="cloth">
      <Box bg="panel" borderWidth="1px" borderColor="line" rounded="lg" p="8" w="400px">
        <Heading as="h1" fontFamily="heading" size="2xl">
          Untold Quilt
        </Heading>
        <Text color="soft" mt="1" mb="5">
          {title}
        </Text>
        {children}
      </Box>
    </Center>
  );
}

type EntryProps = {
  verb: string;
  hint?: string;
  fresh?: boolean;
  enter: (name: string, password: string) => Promise<unknown>;
};

/** A name and a password. */
function Entry({ verb, hint, fresh, enter }: EntryProps) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    setWrong("");
    try {
      await enter(name.trim(), password);
      await client.invalidateQueries();
    } catch (error) {
      setWrong((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <Field.Root mb="3">
        <Field.Label>Name</Field.Label>
        <Input
          size="sm"
          autoFocus
          autoComplete="username"
          value={name}
          maxLength={150}
          onChange={(e) => setName(e.target.value)}
        />
      </Field.Root>
      <Field.Root mb="3">
        <Field.Label>Password</Field.Label>
        <Input
          size="sm"
          type="password"
          autoComplete={fresh ? "new-password" : "current-password"}
          value={password}
          maxLength={256}
          onChange={(e) => setPassword(e.target.value)}
        />
        {hint && <Field.HelperText>{hint}</Field.HelperText>}
      </Field.Root>
      {wrong && (
        <Text role="alert" color="rose" mb="3">
          {wrong}
        </Text>
      )}
      <Button
        type="submit"
        w="100%"
        size="sm"
        bg="petrol"
        color="onPetrol"
        disabled={!name.trim() || !password}
        loading={busy}
      >
        {verb}
      </Button>
    </form>
  );
}

/** Where accounts are kept, nothing is seen before one has logged in. */
export function LogIn() {
  return (
    <Card title="Log in to see your projects.">
      <Entry verb="Log in" enter={logIn} />
      <Text color="soft" fontSize="12.5px" mt="4">
        No account yet? An owner of a project can send you an invitation.
      </Text>
    </Card>
  );
}

/** The page that an invitation leads to. */
export function JoinPage({
  word,
  me,
  go,
}: {
  word: string;
  me: Me;
  go: (project: number) => void;
}) {
  const found = useQuery({
    queryKey: ["join", word],
    queryFn: () => invitationOf(word),
    retry: false,
  });
  const [wrong, setWrong] = useState("");
  const client = useQueryClient();
  const take = async (name: string, password: string) => {
    const joined = await join(word, name, password);
    go(joined.project ?? 0);
    await client.invalidateQueries();
  };
  if (found.isPending)
    return (
      <Card title="Looking for the invitation…">
        <Spinner />
      </Card>
    );
  if (found.isError)
    return (
      <Card title="This invitation leads nowhere.">
        <Text role="alert" color="rose" mb="3">
          {found.error.message}
        </Text>
        <Button size="sm" variant="outline" borderColor="line" onClick={() => go(0)}>
          To the projects
        </Button>
      </Card>
    );
  const { project_name, role, by } = found.data;
  return (
    <Card
      title={`${by || "Somebody"} invites you${project_name ? ` to “${project_name}” as ${role}` : ""}.`}
    >
      {me.id === null ? (
        <Entry
          verb="Make an account and join"
          hint="12 letters or more; a few words are good."
          fresh
          enter={take}
        />
      ) : (
        <>
          {wrong && (
            <Text role="alert" color="rose" mb="3">
              {wrong}
            </Text>
          )}
          <Button
            w="100%"
            size="sm"
            bg="petrol"
            color="onPetrol"
            onClick={() => take("", "").catch((error: Error) => setWrong(error.message))}
          >
            Join as {me.name}
          </Button>
          <Button
            w="100%"
            size="sm"
            mt="2"
            variant="outline"
            borderColor="line"
            onClick={() => void logOut()}
          >
            Log out, to join as somebody else
          </Button>
        </>
      )}
    </Card>
  );
}
