import {
  Box,
  Button,
  Center,
  Flex,
  Heading,
  IconButton,
  Image,
  Input,
  Spinner,
  Stack,
  Text,
} from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { Copy, Download, Pencil, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useLocation, useRoute } from "wouter";
import { api, ask, send, type Project } from "./api/client";
import { useProjects } from "./api/hooks";
import { logOut, useMe } from "./api/people";
import { JoinPage, LogIn } from "./components/Doors";
import { Notices } from "./components/Notices";
import { Workroom } from "./components/Workroom";
import * as format from "./format";
import { tellError } from "./state";

const OPENED = "quilt-opened";

/** When each project was opened last in this browser. */
function openedWhen(): Record<string, number> {
  try {
    return (
      (JSON.parse(localStorage.getItem(OPENED) ?? "{}") as Record<string, number> | null) ?? {}
    );
  } catch {
    return {};
  }
}

const noteOpened = (id: number) =>
  localStorage.setItem(OPENED, JSON.stringify({ ...openedWhen(), [id]: Date.now() }));

/** What whoever sits here may see: with accounts nothing before they have logged in. */
export function App() {
  const me = useMe();
  const [, go] = useLocation();
  const [, joining] = useRoute("/join/:word");
  if (me.isPending)
    return (
      <Center h="100%" bg="cloth">
        <Spinner />
      </Center>
    );
  const { accounts = false, id = null } = me.data ?? {};
  if (accounts && joining)
    return (
      <JoinPage
        word={joining.word}
        me={me.data!}
        go={(project) => go(project ? `/project/${project}` : "/projects", { replace: true })}
      />
    );
  if (accounts && id === null) return <LogIn />;
  return <Rooms />;
}

function Rooms() {
  const me = useMe().data;
  const [path, go] = useLocation();
  const [, inProject] = useRoute("/project/:id");
  const projects = useProjects();
  const open = (id: number) => go(id ? `/project/${id}` : "/projects");
  const when = openedWhen();
  const kept = (projects.data?.filter((p) => !p.deleted) ?? []).sort(
    (a, b) => (when[b.id] ?? 0) - (when[a.id] ?? 0) || b.id - a.id,
  );
  const away = projects.data?.filter((p) => p.deleted) ?? [];
  const here = Number(inProject?.id) || 0;
  useEffect(() => {
    if (here) noteOpened(here);
  }, [here]);
  const shown = here || (path === "/" ? kept[0]?.id : undefined);
  if (shown)
    return (
      <>
        <Workroom key={shown} projectId={shown} leave={() => open(0)} />
        <Notices />
      </>
    );
  return (
    <Center as="main" h="100%" bg="cloth">
      <Box
        bg="panel"
        borderWidth="1px"
        borderColor="line"
        rounded="lg"
        p="8"
        w="560px"
        maxH="92vh"
        overflowY="auto"
      >
        <Heading as="h1" fontFamily="heading" size="2xl">
          Untold Quilt
        </Heading>
        <Text color="soft" mt="1" mb="5">
          Even texel density, tight layouts, safe to bake.
        </Text>
        {projects.isPending && <Spinner />}
        {projects.isError && <Text color="rose">{projects.error.message}</Text>}
        <Stack gap="2">
          {kept.map((p) => (
            <ProjectRow key={p.id} project={p} open={() => open(p.id)} />
          ))}
          {projects.data && kept.length === 0 && (
            <Text color="soft">There is no project yet. Name one to begin.</Text>
          )}
        </Stack>
        <NewProject open={open} />
        {me?.accounts && (
          <Flex mt="4" justify="space-between" align="center">
            <Text color="soft">You are {me.name}.</Text>
            <Button size="2xs" variant="outline" borderColor="line" onClick={() => void logOut()}>
              Log out
            </Button>
          </Flex>
        )}
        {away.length > 0 && (
          <Box mt="5" pt="3" borderTopWidth="1.5px" borderTopStyle="dashed" borderColor="line">
            <Text color="soft" mb="1">
              Deleted; kept for a week
            </Text>
            {away.map((p) => (
              <DeletedRow key={p.id} project={p} />
            ))}
          </Box>
        )}
      </Box>
      <Notices />
    </Center>
  );
}

function useProjectChange() {
  const client = useQueryClient();
  return (call: Promise<unknown>) =>
    call.then(() => client.invalidateQueries({ queryKey: ["projects"] }), tellError);
}

/** A project to open, with its name to change and the way to delete it. */
function ProjectRow({ project, open }: { project: Project; open: () => void }) {
  const [naming, setNaming] = useState(false);
  const change = useProjectChange();
  const image = project.atlases.find((tab) => tab.image)?.image;
  const at = openedWhen()[project.id];
  const opened = at ? format.moment(at) : "";
  const path = { params: { path: { project_id: project.id } } };
  const rename = (name: string) => {
    setNaming(false);
    if (name.trim() && name.trim() !== project.name)
      void change(
        ask(
          api.PATCH("/api/projects/{project_id}/", {
            ...path,
            body: { name: name.trim(), change: project.change },
          }),
        ),
      );
  };
  if (naming) {
    return (
      <Input
        size="sm"
        autoFocus
        defaultValue={project.name}
        maxLength={120}
        aria-label={`New name of ${project.name}`}
        onFocus={(e) => e.target.select()}
        onBlur={(e) => rename(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") rename(e.currentTarget.value);
          if (e.key === "Escape") setNaming(false);
        }}
      />
    );
  }
  return (
    <Flex gap="1" align="center">
      <Button
        flex="1"
        minW="0"
        h="68px"
        px="2"
        gap="3"
        variant="outline"
        borderColor="line"
        justifyContent="flex-start"
        onClick={open}
      >
        <Center w="56px" h="56px" flexShrink="0" bg="cloth" rounded="sm" overflow="hidden">
          {image ? (
            <Image src={image} alt="" loading="lazy" maxW="56px" maxH="56px" />
          ) : (
            <Text as="span" color="soft" fontSize="11px" fontWeight="400">
              empty
            </Text>
          )}
        </Center>
        <Box textAlign="left" minW="0">
          <Text truncate>{project.name}</Text>
          <Text color="soft" fontWeight="400" fontSize="12px" truncate>
            {project.objects} {project.objects === 1 ? "object" : "objects"} ·{" "}
            {project.atlases.length} {project.atlases.length === 1 ? "atlas" : "atlases"}
            {opened ? ` · opened ${opened}` : ""}
          </Text>
        </Box>
      </Button>
      <IconButton
        size="sm"
        variant="ghost"
        aria-label={`Rename ${project.name}`}
        title="Rename"
        onClick={() => setNaming(true)}
      >
        <Pencil size={15} />
      </IconButton>
      <IconButton size="sm" variant="ghost" asChild>
        <a
          href={`/api/projects/${project.id}/project.quilt`}
          download
          aria-label={`Save ${project.name} as a file`}
          title="As a file, with its whole history: for another installation, or the command line"
        >
          <Download size={15} />
        </a>
      </IconButton>
      <IconButton
        size="sm"
        variant="ghost"
        aria-label={`Duplicate ${project.name}`}
        title="Make a copy as it is now"
        onClick={() => void change(ask(api.POST("/api/projects/{project_id}/duplicate/", path)))}
      >
        <Copy size={15} />
      </IconButton>
      <IconButton
        size="sm"
        variant="ghost"
        aria-label={`Delete ${project.name}`}
        title="Delete; it can be brought back for a week"
        onClick={() => void change(ask(api.DELETE("/api/projects/{project_id}/", path)))}
      >
        <Trash2 size={15} />
      </IconButton>
    </Flex>
  );
}

function DeletedRow({ project }: { project: Project }) {
  const change = useProjectChange();
  return (
    <Flex justify="space-between" align="center">
      <Text color="soft" truncate>
        {project.name}
      </Text>
      <Button
        size="2xs"
        variant="outline"
        borderColor="line"
        onClick={() =>
          void change(
            ask(
              api.POST("/api/projects/{project_id}/restore/", {
                params: { path: { project_id: project.id } },
              }),
            ),
          )
        }
      >
        Bring back
      </Button>
    </Flex>
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
  const bringIn = async (file: File) => {
    const form = new FormData();
    form.append("file", file, file.name);
    try {
      const made = await send<Project>("/api/project-files/", form);
      await client.invalidateQueries({ queryKey: ["projects"] });
      open(made.id);
    } catch (error) {
      tellError(error);
    }
  };
  return (
    <>
      <Flex
        as="form"
        mt="5"
        gap="2"
        onSubmit={(event) => {
          event.preventDefault();
          void create();
        }}
      >
        <Input
          size="sm"
          aria-label="Name of a new project"
          placeholder="Name of a new project"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button size="sm" type="submit" bg="petrol" color="onPetrol" disabled={!name.trim()}>
          Create
        </Button>
      </Flex>
      <Button size="2xs" variant="plain" px="0" mt="1" color="petrol" asChild>
        <label>
          Open a project file
          <input
            type="file"
            accept=".quilt"
            hidden
            data-testid="project-file"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) void bringIn(file);
            }}
          />
        </label>
      </Button>
    </>
  );
}
