import { lazy, Suspense } from "react";
import { Navigate, Route, Routes } from "react-router";
import type { Me } from "@/api/types";
import { part } from "@/ui/outdated";
import { Loading, NotThere } from "@/ui/page";

// Each place is loaded when somebody goes there first.
const WatchPage = lazy(async () => ({ default: (await part(import("@/places/watch/watch-page"))).WatchPage }));
const PoliciesPage = lazy(async () => ({
  default: (await part(import("@/places/policies/policies-page"))).PoliciesPage,
}));
const PolicyPage = lazy(async () => ({ default: (await part(import("@/places/policies/policy-page"))).PolicyPage }));
const AssignmentsPage = lazy(async () => ({
  default: (await part(import("@/places/policies/assignments-page"))).AssignmentsPage,
}));
const LadderPage = lazy(async () => ({ default: (await part(import("@/places/ladder/ladder-page"))).LadderPage }));
const ChangesPage = lazy(async () => ({ default: (await part(import("@/places/changes/changes-page"))).ChangesPage }));
const ChangePage = lazy(async () => ({ default: (await part(import("@/places/changes/change-page"))).ChangePage }));
const RolloutsPage = lazy(async () => ({
  default: (await part(import("@/places/rollouts/rollouts-page"))).RolloutsPage,
}));
const RolloutPage = lazy(async () => ({ default: (await part(import("@/places/rollouts/rollout-page"))).RolloutPage }));
const DevicesPage = lazy(async () => ({ default: (await part(import("@/places/devices/devices-page"))).DevicesPage }));
const DevicePage = lazy(async () => ({ default: (await part(import("@/places/devices/device-page"))).DevicePage }));
const HandoverPage = lazy(async () => ({
  default: (await part(import("@/places/devices/handover-page"))).HandoverPage,
}));
const SettingHistoryPage = lazy(async () => ({
  default: (await part(import("@/places/devices/setting-history-page"))).SettingHistoryPage,
}));
const PasswordsPage = lazy(async () => ({
  default: (await part(import("@/places/passwords/passwords-page"))).PasswordsPage,
}));
const AccountsPage = lazy(async () => ({
  default: (await part(import("@/places/accounts/accounts-page"))).AccountsPage,
}));
const DriftPage = lazy(async () => ({ default: (await part(import("@/places/drift/drift-page"))).DriftPage }));
const WaiversPage = lazy(async () => ({ default: (await part(import("@/places/drift/waivers-page"))).WaiversPage }));
const WarrantsPage = lazy(async () => ({
  default: (await part(import("@/places/warrants/warrants-page"))).WarrantsPage,
}));
const SheetsPage = lazy(async () => ({ default: (await part(import("@/places/sheets/sheets-page"))).SheetsPage }));
const EventsPage = lazy(async () => ({ default: (await part(import("@/places/events/events-page"))).EventsPage }));
const TrailPage = lazy(async () => ({ default: (await part(import("@/places/trail/trail-page"))).TrailPage }));
const MePage = lazy(async () => ({ default: (await part(import("@/places/me/me-page"))).MePage }));
const FirstPasswordPage = lazy(async () => ({
  default: (await part(import("@/places/me/first-password-page"))).FirstPasswordPage,
}));
const AllowPage = lazy(async () => ({ default: (await part(import("@/places/me/allow-page"))).AllowPage }));
const GroupsPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/groups-page"))).GroupsPage,
}));
const FactsPage = lazy(async () => ({ default: (await part(import("@/places/organisation/facts-page"))).FactsPage }));
const EnrolmentPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/enrolment-page"))).EnrolmentPage,
}));
const OperatorsPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/operators-page"))).OperatorsPage,
}));
const NotificationsPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/notifications-page"))).NotificationsPage,
}));
const ReportPage = lazy(async () => ({ default: (await part(import("@/places/report/report-page"))).ReportPage }));
const TokensPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/tokens-page"))).TokensPage,
}));
const KeysPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/keys-page"))).KeysPage,
}));
const SettingsPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/settings-page"))).SettingsPage,
}));
const DirectoryPage = lazy(async () => ({
  default: (await part(import("@/places/organisation/directory-page"))).DirectoryPage,
}));

/** The one page of somebody who must set up a second factor before anything else. */
export function OnlyMe({ me }: { me: Me }) {
  return (
    <Suspense fallback={<Loading />}>
      {me.must_change_password ? <FirstPasswordPage name={me.name} /> : <MePage />}
    </Suspense>
  );
}

/** What stands at which address. */
export function Pages() {
  return (
    <Suspense fallback={<Loading />}>
      <Routes>
        <Route path="/" element={<Navigate to="/watch" replace />} />
        <Route path="/watch" element={<WatchPage />} />
        <Route path="/report" element={<ReportPage />} />
        <Route path="/policies" element={<PoliciesPage />} />
        <Route path="/new-policy" element={<PolicyPage fresh />} />
        <Route path="/policies/:name" element={<PolicyPage />} />
        <Route path="/assignments" element={<AssignmentsPage />} />
        <Route path="/ladder" element={<LadderPage />} />
        <Route path="/changes" element={<ChangesPage />} />
        <Route path="/changes/:name" element={<ChangePage />} />
        <Route path="/rollouts" element={<RolloutsPage />} />
        <Route path="/rollouts/:name" element={<RolloutPage />} />
        <Route path="/devices" element={<DevicesPage />} />
        <Route path="/devices/:name" element={<DevicePage />} />
        <Route path="/devices/:name/handover" element={<HandoverPage />} />
        <Route path="/devices/:name/history" element={<SettingHistoryPage />} />
        <Route path="/passwords" element={<PasswordsPage />} />
        <Route path="/accounts" element={<AccountsPage />} />
        <Route path="/drift" element={<DriftPage />} />
        <Route path="/waivers" element={<WaiversPage />} />
        <Route path="/warrants" element={<WarrantsPage />} />
        <Route path="/sheets" element={<SheetsPage />} />
        <Route path="/events" element={<EventsPage />} />
        <Route path="/trail" element={<TrailPage />} />
        <Route path="/allow" element={<AllowPage />} />
        <Route path="/me" element={<MePage />} />
        <Route path="/organisation" element={<Navigate to="/organisation/groups" replace />} />
        <Route path="/organisation/groups" element={<GroupsPage />} />
        <Route path="/organisation/facts" element={<FactsPage />} />
        <Route path="/organisation/enrolment" element={<EnrolmentPage />} />
        <Route path="/organisation/operators" element={<OperatorsPage />} />
        <Route path="/organisation/notifications" element={<NotificationsPage />} />
        <Route path="/organisation/tokens" element={<TokensPage />} />
        <Route path="/organisation/keys" element={<KeysPage />} />
        <Route path="/organisation/settings" element={<SettingsPage />} />
        <Route path="/organisation/directory" element={<DirectoryPage />} />
        <Route
          path="*"
          element={
            <NotThere what="There is no page at this address." to="/watch">
              Go to Watch
            </NotThere>
          }
        />
      </Routes>
    </Suspense>
  );
}
