import { read as accounts, list as accountsLists } from "./queries/accounts";
import { read as changes, list as changesLists } from "./queries/changes";
import { read as findings, list as findingsLists } from "./queries/findings";
import { read as fleet, list as fleetLists } from "./queries/fleet";
import { read as orders } from "./queries/orders";
import { read as organisation, list as organisationLists } from "./queries/organisation";
import { read as passwords, list as passwordsLists } from "./queries/passwords";
import { read as policies, list as policiesLists } from "./queries/policies";
import { read as session } from "./queries/session";
import { list as sheetsLists } from "./queries/sheets";
import { read as trail, list as trailLists } from "./queries/trail";
import { list as warrantsLists } from "./queries/warrants";

export type * from "./queries/filters";

/*
 * Everything that the console reads, by subject. Each reading has its key, its function with the signal that ends it, and
 * what makes it old: topics of the service's changes, and the device that it is about where it is about one.
 */

/** One thing that is read whole. */
export const read = {
  ...session,
  ...trail,
  ...fleet,
  ...orders,
  ...passwords,
  ...findings,
  ...policies,
  ...changes,
  ...organisation,
  ...accounts,
};

/** Lists that are read page by page. */
export const list = {
  ...accountsLists,
  ...sheetsLists,
  ...warrantsLists,
  ...trailLists,
  ...fleetLists,
  ...passwordsLists,
  ...findingsLists,
  ...policiesLists,
  ...changesLists,
  ...organisationLists,
};
