import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { tellError } from "../state";
import { api, ask, Explained, type components } from "./client";

export type Me = components["schemas"]["MeOut"];
type Member = components["schemas"]["MemberOut"];
export type Role = Member["role"];

/** Whoever sits here, where accounts are kept. */
export function useMe() {
  return useQuery({ queryKey: ["me"], queryFn: () => ask(api.GET("/api/me/")), staleTime: 60_000 });
}

/** Whether whoever sits here looks and comments only, and every change would be refused. */
export function useLooksOnly(projectId: number): boolean {
  const me = useMe().data;
  const members = useQuery({
    ...membersOf(projectId),
    enabled: me?.accounts ?? false,
    // An owner may say otherwise meanwhile.
    refetchInterval: 10_000,
  }).data;
  return members?.find((one) => one.user === me?.id)?.role === "viewer";
}

const membersOf = (project_id: number) => ({
  queryKey: ["people", project_id],
  queryFn: () =>
    ask(api.GET("/api/projects/{project_id}/members/", { params: { path: { project_id } } })),
});

export async function logIn(name: string, password: string): Promise<Me> {
  return ask(api.POST("/api/login/", { body: { name, password } }));
}

export async function logOut(): Promise<void> {
  await api.POST("/api/logout/");
  window.location.assign("/projects");
}

export const invitationOf = (word: string) =>
  ask(api.GET("/api/join/", { params: { query: { word } } }));
export const join = (word: string, name: string, password: string) =>
  ask(api.POST("/api/join/", { body: { word, name, password } }));

/** The address of an invitation. */
export const linkOf = (word: string) => `${window.location.origin}/join/${word}`;

/** Members of a project and invitations to it. */
export function usePeople(projectId: number, owner: boolean) {
  const client = useQueryClient();
  const path = { project_id: projectId };
  const options = {
    onError: tellError,
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["people", projectId] });
      void client.invalidateQueries({ queryKey: ["invited", projectId] });
    },
  };
  return {
    members: useQuery(membersOf(projectId)).data ?? [],
    invited:
      useQuery({
        queryKey: ["invited", projectId],
        enabled: owner,
        queryFn: () =>
          ask(api.GET("/api/projects/{project_id}/invitations/", { params: { path } })),
      }).data ?? [],
    invite: useMutation({
      mutationFn: (body: { role: Role; note: string }) =>
        ask(
          api.POST("/api/projects/{project_id}/invitations/", {
            params: { path },
            body: { ...body, days: 7 },
          }),
        ),
      ...options,
    }),
    revoke: useMutation({
      mutationFn: async (invitation_id: number) => {
        await api.DELETE("/api/invitations/{invitation_id}/", {
          params: { path: { invitation_id } },
        });
      },
      ...options,
    }),
    setRole: useMutation({
      mutationFn: ({ user_id, role }: { user_id: number; role: Role }) =>
        ask(
          api.PATCH("/api/projects/{project_id}/members/{user_id}/", {
            params: { path: { ...path, user_id } },
            body: { role },
          }),
        ),
      ...options,
    }),
    remove: useMutation({
      mutationFn: async (user_id: number) => {
        const { response, error } = await api.DELETE(
          "/api/projects/{project_id}/members/{user_id}/",
          { params: { path: { ...path, user_id } } },
        );
        if (!response.ok) {
          const { what = "", where = "", fix = "" } = (error ?? {}) as Record<string, string>;
          throw new Explained(what, where, fix);
        }
      },
      ...options,
    }),
  };
}

/** Tokens of whoever is logged in. */
export function useTokens() {
  const client = useQueryClient();
  const options = {
    onError: tellError,
    onSettled: () => client.invalidateQueries({ queryKey: ["tokens"] }),
  };
  return {
    tokens:
      useQuery({ queryKey: ["tokens"], queryFn: () => ask(api.GET("/api/tokens/")) }).data ?? [],
    make: useMutation({
      mutationFn: (body: { name: string; scope: "read" | "write" }) =>
        ask(api.POST("/api/tokens/", { body })),
      ...options,
    }),
    drop: useMutation({
      mutationFn: async (token_id: number) => {
        await api.DELETE("/api/tokens/{token_id}/", { params: { path: { token_id } } });
      },
      ...options,
    }),
  };
}
