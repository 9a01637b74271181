import type { Change, Finding, RolloutDevice, Standing, TrailEntry } from "../types";

/** What lists are narrowed to. */
export type DeviceFilter = { search?: string; standing?: Standing; group?: string };
export type FindingFilter = { state: Finding["state"]; unit?: string; kind?: string; group?: string };
export type EventFilter = { device?: string; kind?: string; group?: string };
export type TrailFilter = {
  actor?: string;
  action?: string;
  device?: string;
  on?: string;
  outcome?: TrailEntry["outcome"];
  since?: string;
  until?: string;
};
export type PasswordFilter = { search?: string; group?: string; overdue?: boolean };
export type ChangeFilter = { state?: Change["state"][]; search?: string };
export type RolloutDeviceFilter = { wave?: number; outcome?: RolloutDevice["outcome"] };
export type LadderFilter = { device?: string; group?: string };
export type DirectoryFilter = { search?: string; kind: "" | "user" | "group" };
