import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { ask, client, done, type Shapes } from "./client";

export type LiveDevice = Shapes["InventoryDeviceShape"];
export type Credential = Shapes["CredentialShape"];
export type AllowedNetwork = Shapes["AllowedNetworkShape"];
export type Plan = Shapes["PlanShape"];
export type Run = Shapes["GatheringShape"];
export type RunSummary = Shapes["GatheringSummaryShape"];
export type Part = Shapes["PartShape"];

const TICK = 700;

export function useInventory(watching = false) {
  return useQuery({
    queryKey: ["inventory"],
    queryFn: () => ask(client.GET("/api/inventory")),
    refetchInterval: watching ? 4 * TICK : false,
  });
}

export const isOpen = (run: { state: string } | null | undefined) => run?.state === "running" || run?.state === "storing";

/** The last gatherings; asked again as long as one is under way. */
export function useRuns() {
  return useQuery({
    queryKey: ["gatherings"],
    queryFn: () => ask(client.GET("/api/gatherings")),
    refetchInterval: (query) => (query.state.data?.gatherings.some(isOpen) ? 2 * TICK : 20 * TICK),
  });
}

export function useRun(run: number | null) {
  return useQuery({
    queryKey: ["gathering", run],
    enabled: run !== null,
    queryFn: () => ask(client.GET("/api/gatherings/{gathering}", { params: { path: { gathering: run ?? 0 } } })),
    refetchInterval: (query) => (isOpen(query.state.data) ? TICK : false),
  });
}

/** A call that changes what gathering knows; everything shown of it is asked again. */
export function useChange<Input, Output>(call: (input: Input) => Promise<Output>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: call,
    onSettled: () => {
      for (const key of ["inventory", "gatherings", "gathering"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
}

export const allowNetwork = (body: Shapes["AllowedNetworkRequestRequest"]) => ask(client.POST("/api/inventory/allowed", { body }));
export const disallowNetwork = (network: number) => done(client.DELETE("/api/inventory/allowed/{network}", { params: { path: { network } } }));

const at = (device: number) => ({ params: { path: { device } } });

/** Asks again until whoever was sent to a device is back. */
async function back<T>(sent: { id: number; state: string; answer: T | null }, again: (errand: number) => Promise<{ id: number; state: string; answer: T | null }>): Promise<T> {
  let now = sent;
  while (now.answer === null) {
    await new Promise((go) => setTimeout(go, 400));
    now = await again(now.id);
  }
  return now.answer;
}

export const testDevice = async (device: number) =>
  back(await ask(client.POST("/api/inventory/devices/{device}/test", at(device))), (errand) => ask(client.GET("/api/inventory/tests/{errand}", { params: { path: { errand } } })));
export const probeDevice = async ({ survey, body }: { survey: number; body: Shapes["ProbeRequestRequest"] }) =>
  back(await ask(client.POST("/api/surveys/{survey}/probes", { params: { path: { survey } }, body })), (errand) => ask(client.GET("/api/surveys/{survey}/probes/{errand}", { params: { path: { survey, errand } } })));
export const trustKey = ({ device, key }: { device: number; key: string }) =>
  ask(client.POST("/api/inventory/devices/{device}/trust", { ...at(device), body: { key } }));
export const saveDevice = ({ id, body }: { id: number | null; body: Shapes["InventoryDeviceRequestRequest"] }) =>
  id === null
    ? ask(client.POST("/api/inventory/devices", { body }))
    : ask(client.PUT("/api/inventory/devices/{device}", { ...at(id), body }));
export const removeDevice = (device: number) => done(client.DELETE("/api/inventory/devices/{device}", at(device)));
export const importInventory = (yaml: string) => ask(client.POST("/api/inventory", { body: { yaml } }));
export const saveCredential = ({ id, body }: { id: number | null; body: Shapes["CredentialRequestRequest"] }) =>
  id === null
    ? ask(client.POST("/api/inventory/credentials", { body }))
    : ask(client.PUT("/api/inventory/credentials/{credential}", { params: { path: { credential: id } }, body }));
export const removeCredential = (credential: number) =>
  done(client.DELETE("/api/inventory/credentials/{credential}", { params: { path: { credential } } }));
export const savePlan = (body: Shapes["PlanShapeRequest"]) => ask(client.PUT("/api/inventory/plan", { body }));
export const gatherNow = (body: Shapes["GatheringRequestRequest"]) => ask(client.POST("/api/gatherings", { body }));
export const cancelRun = (gathering: number) =>
  ask(client.POST("/api/gatherings/{gathering}/cancel", { params: { path: { gathering } } }));
