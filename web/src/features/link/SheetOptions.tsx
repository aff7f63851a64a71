// What an author may say of a link: cardinality, flow, state, firm or loose, name and description; what the data prove stands beside it.
import type { LinkPreview } from '../../api/client';
import { counted } from '../../shared/format';

export type Options = Record<string, unknown>;

interface Choice {
  value: unknown;
  words: string;
  off?: string;
}

function Segment({
  label,
  name,
  now,
  choices,
  onChoose,
}: {
  label: string;
  name: string;
  now: unknown;
  choices: Choice[];
  onChoose: (name: string, value: unknown) => void;
}) {
  return (
    <div className="option">
      <span className="quiet">{label}</span>
      <span className="segment" role="group" aria-label={label}>
        {choices.map((c) => (
          <button
            key={c.words}
            type="button"
            aria-pressed={now === c.value}
            disabled={Boolean(c.off)}
            title={c.off}
            onClick={() => onChoose(name, c.value)}
          >
            {c.words}
          </button>
        ))}
      </span>
    </div>
  );
}

interface Props {
  preview: LinkPreview;
  options: Options;
  onChange: (o: Options) => void;
  naming: boolean;
}

/** What is said of the link: what its author chose, over what the data say. */
interface Said {
  name: string;
  cardinality: string;
  flow: string;
  active: boolean;
  firm?: boolean;
  description?: string;
}

const FLOWS: Choice[] = [
  { value: 'one-way', words: 'one-way' },
  { value: 'two-way', words: 'two-way' },
];
const STATES: Choice[] = [
  { value: true, words: 'active' },
  { value: false, words: 'inactive' },
];
const LOOK_UPS: Choice[] = [
  { value: null, words: 'as the data say' },
  { value: true, words: 'firm' },
  { value: false, words: 'loose' },
];

export function SheetOptions({ preview, options, onChange, naming }: Props) {
  const link = preview.link as unknown as Said;
  const choose = (name: string, value: unknown) => onChange({ ...options, [name]: value });
  const offered = !link.active && options.active === undefined && !naming && preview.doubles.length > 0;
  const allowed = (value: string) =>
    preview.allowed.includes(value as LinkPreview['proven']) ? undefined : 'The keys repeat: the data contradict it.';
  const cardinalities = ['many-to-one', 'one-to-one', 'many-to-many'].map((v) => ({ value: v, words: v, off: allowed(v) }));
  return (
    <div className="options">
      <Segment label="Cardinality" name="cardinality" now={link.cardinality} onChoose={choose} choices={cardinalities} />
      <p className="quiet">
        The data prove it <b>{preview.proven}</b>
        {preview.proven !== link.cardinality && <span className="signal">, declared {link.cardinality}</span>}.
      </p>
      <Segment label="Flow" name="flow" now={link.flow} onChoose={choose} choices={FLOWS} />
      <Segment label="State" name="active" now={link.active} onChoose={choose} choices={STATES} />
      {offered && (
        <p className="quiet">
          Offered inactive: active, it would double a path.
          {preview.yields.length ? ` It could be active if ${preview.yields.join(' or ')} yielded.` : ''}
        </p>
      )}
      {link.cardinality !== 'many-to-many' && (
        <Segment label="Look-ups" name="firm" now={link.firm ?? null} onChoose={choose} choices={LOOK_UPS} />
      )}
      <p>
        It is <b>{preview.firm ? 'firm' : 'loose'}</b>
        {preview.firm
          ? ': rows look their partner up, and rows without one stand under (unmatched).'
          : `: ${preview.why_loose}. Nothing is looked up over it, and it gives no (unmatched) member.`}
      </p>
      {naming && <Naming link={link} options={options} choose={choose} />}
      {preview.key_empty > 0 && (
        <p className="signal">
          {counted(preview.key_empty, 'row')} of {preview.to_table} {preview.key_empty === 1 ? 'has' : 'have'} no key.
        </p>
      )}
    </div>
  );
}

function Naming({ link, options, choose }: { link: Said; options: Options; choose: (name: string, value: unknown) => void }) {
  return (
    <>
      <label className="option">
        <span className="quiet">Name</span>
        <input className="field" value={String(options.name ?? link.name)} onChange={(e) => choose('name', e.target.value)} />
      </label>
      <label className="option">
        <span className="quiet">Description</span>
        <textarea
          className="field"
          rows={2}
          value={String(options.description ?? link.description ?? '')}
          onChange={(e) => choose('description', e.target.value)}
        />
      </label>
    </>
  );
}
