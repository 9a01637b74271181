import { useQuery } from "@tanstack/react-query";
import { organisation } from "@/api/organisation";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { OrganisationParts } from "./parts";

/** How the service is configured, to be read: the configuration file says it, and no operator changes it. */
export function SettingsPage() {
  const settings = useQuery(organisation.settings());
  const sections = [...new Set(settings.data?.items.map((s) => s.section))];
  return (
    <>
      <PageHead
        tab="Settings"
        title="Settings"
        note="How the service is configured. Whoever runs it changes this in its configuration, so that no operator can loosen what binds operators."
      />
      <OrganisationParts />
      {settings.error && <Trouble error={settings.error} />}
      {settings.isPending && <Loading />}
      <div className="columns-2 gap-10">
        {sections.map((section) => (
          <section key={section} className="mb-6 break-inside-avoid border-t-2 border-ink pt-2">
            <h2 className="mb-1 font-bold">{section === "A second person" ? "A second person decides on" : section}</h2>
            <dl>
              {settings.data?.items
                .filter((s) => s.section === section)
                .map((s) => (
                  <div
                    key={s.title}
                    className="grid grid-cols-[1fr_minmax(0,0.9fr)] gap-3 border-b border-hairline py-1"
                  >
                    <dt>
                      {s.title}
                      <span className="block font-mono text-xs text-second">{s.option}</span>
                    </dt>
                    <dd className="font-semibold break-words">{s.value}</dd>
                  </div>
                ))}
            </dl>
          </section>
        ))}
      </div>
    </>
  );
}
