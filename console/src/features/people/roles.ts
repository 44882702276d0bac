import type { Person } from "@/api/client";

/** The roles of a workspace with what each may do, the widest first. */
export const ROLES: readonly (readonly [role: Person["role"], may: string])[] = [
  ["owner", "everything, and who else signs in here"],
  ["manager", "changes access, providers, reviews and rules"],
  ["reviewer", "decides what reviews ask them"],
  ["auditor", "sees everything and changes nothing"],
  ["member", "sees their own access, gives it up, asks for more"],
];
