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

export function SheetOptions({
  told,
  options,
  onChange,
  naming,
}: {
  told: LinkPreview;
  options: Options;
  onChange: (o: Options) => void;
  naming: boolean;
}) {
  const link = told.link as { name: string; cardinality: string; flow: string; active: boolean; firm?: boolean; description?: string };
  const choose = (name: string, value: unknown) => onChange({ ...options, [name]: value });
  const offered = !link.active && options.active === undefined && !naming && told.doubles.length > 0;
  const allowed = (value: string) =>
    told.allowed.includes(value as LinkPreview['proven']) ? undefined : 'The keys repeat: the data do not bear it.';
  return (
    <div className="options">
      <Segment
        label="Cardinality"
        name="cardinality"
        now={link.cardinality}
        onChoose={choose}
        choices={['many-to-one', 'one-to-one', 'many-to-many'].map((v) => ({ value: v, words: v, off: allowed(v) }))}
      />
      <p className="quiet">
        The data prove it <b>{told.proven}</b>
        {told.proven !== link.cardinality && <span className="signal">, declared {link.cardinality}</span>}.
      </p>
      <Segment
        label="Flow"
        name="flow"
        now={link.flow}
        onChoose={choose}
        choices={[
          { value: 'one-way', words: 'one-way' },
          { value: 'two-way', words: 'two-way' },
        ]}
      />
      <Segment
        label="State"
        name="active"
        now={link.active}
        onChoose={choose}
        choices={[
          { value: true, words: 'active' },
          { value: false, words: 'inactive' },
        ]}
      />
      {offered && (
        <p className="quiet">
          Offered inactive: active, it would double a path.
          {told.yields.length ? ` It could be active if ${told.yields.join(' or ')} yielded.` : ''}
        </p>
      )}
      {link.cardinality !== 'many-to-many' && (
        <Segment
          label="Look-ups"
          name="firm"
          now={link.firm ?? null}
          onChoose={choose}
          choices={[
            { value: null, words: 'as the data say' },
            { value: true, words: 'firm' },
            { value: false, words: 'loose' },
          ]}
        />
      )}
      <p>
        It is <b>{told.firm ? 'firm' : 'loose'}</b>
        {told.firm
          ? ': rows look their partner up, and rows without one stand under (unmatched).'
          : `: ${told.why_loose}. Nothing is looked up over it, and it gives no (unmatched) member.`}
      </p>
      {naming && (
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
      )}
      {told.key_empty > 0 && (
        <p className="signal">
          {counted(told.key_empty, 'row')} of {told.to_table} {told.key_empty === 1 ? 'has' : 'have'} no key.
        </p>
      )}
    </div>
  );
}
