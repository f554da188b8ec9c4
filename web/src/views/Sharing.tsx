/** Whom a saved view is shared with: people by name, or everybody with a role. */
import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { client, got, type Schemas } from "../api/client";
import { views as words } from "../words/around/views";

type View = Schemas["SavedView"];
type Change = Schemas["ViewChange"];

export function Sharing({ view, onChange }: { view: View; onChange: (change: Change) => void }) {
  const readers = useQuery({ queryKey: ["readers"], queryFn: () => got(client.GET("/api/views/readers")) });
  const options = [
    {
      label: words.roles,
      options: (readers.data?.roles ?? []).map((one) => ({
        value: `role ${one.role}`,
        label: one.everybody,
      })),
    },
    {
      label: words.people,
      options: (readers.data?.people ?? []).map((one) => ({ value: `person ${one.id}`, label: one.name })),
    },
  ];
  const chosen = [...view.roles.map((one) => `role ${one}`), ...view.people.map((one) => `person ${one}`)];
  const choose = (values: string[]) => {
    const of = (kind: string) =>
      values.filter((one) => one.startsWith(kind)).map((one) => one.slice(kind.length));
    onChange({ people: of("person ").map(Number), roles: of("role ") });
  };
  return (
    <div className="sharing">
      <Select
        mode="multiple"
        value={chosen}
        options={options}
        onChange={choose}
        placeholder={words.sharedWithNobody}
        optionFilterProp="label"
        aria-label={words.shareWith(view.name)}
        getPopupContainer={(node) => node.parentElement ?? document.body}
      />
      {chosen.length > 0 && (
        <input
          className="input"
          readOnly
          aria-label={words.linkTo(view.name)}
          value={`${window.location.origin}/view/${view.key}`}
          onFocus={(event) => event.target.select()}
        />
      )}
    </div>
  );
}
