/** What students are grouped by, and whether the groups' foci are found or given. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { asked, type Scope } from "../../scope/scope";
import { useChoices } from "../../scope/useChoices";
import { groups as words } from "../../words/steps/groups";
import css from "../board.module.css";

type By = Schemas["By"];
/** Standards of most weight that are offered. */
const OFFERED = 12;

export interface Wanted {
  strands: boolean;
  score: boolean;
  standards: string[];
  /** Null: foci are found from the needs. */
  foci: string[] | null;
}

export function byOf(wanted: Wanted): By[] {
  const by: By[] = [];
  if (wanted.strands) by.push({ kind: "strands", standards: [] });
  if (wanted.score) by.push({ kind: "score", standards: [] });
  if (wanted.standards.length) by.push({ kind: "standards", standards: wanted.standards });
  return by;
}

const toggled = (list: string[], one: string) =>
  list.includes(one) ? list.filter((kept) => kept !== one) : [...list, one];

function Check(props: { label: string; title?: string; checked: boolean; onChange: () => void }) {
  return (
    <label title={props.title}>
      <input type="checkbox" checked={props.checked} onChange={props.onChange} /> {props.label}
    </label>
  );
}

function Standards(props: { scope: Scope; chosen: string[]; onChange: (codes: string[]) => void }) {
  const answer = useQuery({
    queryKey: ["needs", "standards", props.scope, "to group by"],
    queryFn: () => got(client.GET("/api/needs/standards", { params: { query: asked(props.scope) } })),
  });
  const first = (answer.data?.skills ?? []).slice(0, OFFERED);
  if (answer.data && !first.length) return <span className="quiet">{words.noStandards}</span>;
  return (
    <>
      {first.map((one) => (
        <Check
          key={one.standard}
          label={one.standard}
          title={one.text}
          checked={props.chosen.includes(one.standard)}
          onChange={() => props.onChange(toggled(props.chosen, one.standard))}
        />
      ))}
    </>
  );
}

export function GroupBy(props: { scope: Scope; wanted: Wanted; onChange: (wanted: Wanted) => void }) {
  const { scope, wanted, onChange } = props;
  const change = (part: Partial<Wanted>) => onChange({ ...wanted, ...part });
  const measures = useChoices(scope).data?.measures ?? [];
  const own = measures.find((one) => one.assessment === scope.assessment && one.subject === scope.subject);
  const strands = own?.strands ?? [];
  const offered = [
    ...(wanted.strands ? strands : []),
    ...(wanted.score ? [words.scoreOf(scope.assessment)] : []),
    ...wanted.standards,
  ];
  const withStandards = wanted.standards.length > 0;
  return (
    <fieldset className={css.rule}>
      <legend>{words.groupBy}</legend>
      <Check
        label={words.byStrands}
        checked={wanted.strands}
        onChange={() => change({ strands: !wanted.strands, foci: null })}
      />
      <Check
        label={words.byScore}
        checked={wanted.score}
        onChange={() => change({ score: !wanted.score, foci: null })}
      />
      <details open={withStandards}>
        <summary>{words.byStandards}</summary>
        <Standards
          scope={scope}
          chosen={wanted.standards}
          onChange={(standards) => change({ standards, foci: null })}
        />
      </details>
      <details>
        <summary>{wanted.foci ? words.fociGiven(wanted.foci.length) : words.fociFound}</summary>
        {offered.map((one) => (
          <Check
            key={one}
            label={one}
            checked={wanted.foci?.includes(one) ?? false}
            onChange={() => {
              const foci = toggled(wanted.foci ?? [], one);
              change({ foci: foci.length ? foci : null });
            }}
          />
        ))}
      </details>
    </fieldset>
  );
}
