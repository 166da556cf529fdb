/** Clauses of how near to things, and how far from them, others lie. */
import { inLargeLength } from "../../../slip/figures";
import { ChoiceWord, NumberWord } from "../../../slip/words";
import { useParts } from "../../../state";
import type { Far as FarRule, Near as NearRule } from "../../../state/scatter";
import type { ClauseProps } from "./clause";

type From = NearRule | FarRule;

export function Near({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const near = recipe.rules!.near!;
  return near.map((rule, k) => (
    <Distance
      key={k}
      first={k === 0}
      before="nearer than"
      between="to"
      fading="fading of nearness"
      rule={rule}
      distance={rule.within_m}
      onDistance={(within_m) => setRules({ near: near.with(k, { ...rule, within_m }) })}
      onChange={(some) => setRules({ near: near.with(k, { ...rule, ...some }) })}
    />
  ));
}

export function Far({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const far = recipe.rules!.far!;
  return far.map((rule, k) => (
    <Distance
      key={k}
      first={k === 0}
      before="farther than"
      between="from"
      fading="fading of distance"
      rule={rule}
      distance={rule.beyond_m}
      onDistance={(beyond_m) => setRules({ far: far.with(k, { ...rule, beyond_m }) })}
      onChange={(some) => setRules({ far: far.with(k, { ...rule, ...some }) })}
    />
  ));
}

function Distance(props: {
  first: boolean;
  before: string;
  between: string;
  fading: string;
  rule: From;
  distance: number;
  onDistance: (metres: number) => void;
  onChange: (some: Pick<From, "of" | "kind"> | Pick<From, "fade_m">) => void;
}) {
  return (
    <span>
      {!props.first && " and "}
      {props.before}{" "}
      <NumberWord
        label={props.before}
        value={props.distance}
        {...inLargeLength}
        onChange={props.onDistance}
      />{" "}
      {props.between} <Named rule={props.rule} onChange={props.onChange} />, fading over{" "}
      <NumberWord
        label={props.fading}
        value={props.rule.fade_m ?? 0}
        {...inLargeLength}
        min={0}
        onChange={(fade_m) => props.onChange({ fade_m })}
      />
    </span>
  );
}

/** What a distance is from: one thing, any of its kind, the edge of the ground, or a line that was drawn. */
function Named(props: { rule: From; onChange: (some: Pick<From, "of" | "kind">) => void }) {
  const { pieces, props: known, regions } = useParts("pieces", "props", "regions");
  const { of, kind, edge, line } = props.rule;
  if (edge) return <strong>the edge of the ground</strong>;
  if (line) return <strong>the line you drew</strong>;
  const piece = of != null ? pieces.get(of) : [...pieces.values()].find((p) => p.prop === kind);
  const prop = kind ?? piece?.prop;
  if (prop == null || (of != null && !piece))
    return <strong>{regions.get(of ?? "")?.name ?? "what is gone"}</strong>;
  return (
    <ChoiceWord
      label="from one or any"
      value={kind != null ? "any" : "one"}
      onChange={(v) =>
        props.onChange(
          v === "any" ? { of: null, kind: prop } : { of: piece?.key ?? null, kind: piece ? null : prop },
        )
      }
      choices={[
        { value: "one", words: piece?.name ?? "what is gone" },
        { value: "any", words: `any ${known.get(prop)?.name ?? "copy"}` },
      ]}
    />
  );
}
