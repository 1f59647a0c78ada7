import { Box, Button, Center, Flex, Heading, Input, Spinner, Stack, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask } from "./api/client";
import { useProjects } from "./api/hooks";
import { Notices } from "./components/Notices";
import { Workroom } from "./components/Workroom";
import { tellError } from "./state";

const projectIn = (path: string) => Number(/^\/project\/(\d+)/.exec(path)?.[1] ?? 0);

export function App() {
  const [path, setPath] = useState(window.location.pathname);
  const projects = useProjects();
  const open = (id: number) => {
    const to = id ? `/project/${id}` : "/projects";
    window.history.pushState({}, "", to);
    setPath(to);
  };
  useEffect(() => {
    const back = () => setPath(window.location.pathname);
    window.addEventListener("popstate", back);
    return () => window.removeEventListener("popstate", back);
  }, []);
  const shown = projectIn(path) || (path === "/" ? projects.data?.[0]?.id : undefined);
  if (shown) return <><Workroom key={shown} projectId={shown} leave={() => open(0)} /><Notices /></>;
  return (
    <Center h="100%" bg="cloth">
      <Box bg="slip" borderWidth="1px" borderColor="line" rounded="lg" p="8" w="460px">
        <Heading fontFamily="heading" size="2xl">Untold Quilt</Heading>
        <Text color="soft" mt="1" mb="5">Even texel density, tight layouts, safe to bake.</Text>
        {projects.isPending && <Spinner />}
        {projects.isError && <Text color="rose">{projects.error.message}</Text>}
        <Stack gap="2">
          {projects.data?.map((p) => (
            <Button key={p.id} variant="outline" borderColor="line" justifyContent="space-between" onClick={() => open(p.id)}>
              <span>{p.name}</span><Text as="span" color="soft" fontWeight="400">{p.objects} objects</Text>
            </Button>
          ))}
          {projects.data?.length === 0 && <Text color="soft">There is no project yet. Name one to begin.</Text>}
        </Stack>
        <NewProject open={open} />
      </Box>
      <Notices />
    </Center>
  );
}

function NewProject({ open }: { open: (id: number) => void }) {
  const [name, setName] = useState("");
  const client = useQueryClient();
  const create = async () => {
    try {
      const made = await ask(api.POST("/api/projects/", { body: { name } }));
      await client.invalidateQueries({ queryKey: ["projects"] });
      open(made.id);
    } catch (error) {
      tellError(error);
    }
  };
  return (
    <Flex as="form" mt="5" gap="2" onSubmit={(event) => { event.preventDefault(); void create(); }}>
      <Input size="sm" aria-label="Name of a new project" placeholder="Name of a new project" value={name} onChange={(e) => setName(e.target.value)} />
      <Button size="sm" type="submit" bg="petrol" color="onPetrol" disabled={!name.trim()}>Create</Button>
    </Flex>
  );
}
