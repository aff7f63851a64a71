// Both keys of a link: their profiles; and apart from these what matches, what does not, near matches with the step that would mend them.
import { Fragment } from 'react';
import type { LinkPreview, ModelDocument } from '../../api/client';
import { useProfiles } from '../../api/queries';
import { typedText, count } from '../../shared/format';
import { Histogram } from '../shape/Histogram';
import { KeysFound } from '../shape/KeysFound';
import { useMismatch } from '../shape/requests';

export function SheetProfiles({ model, preview }: { model: ModelDocument; preview: LinkPreview }) {
  return (
    <div className="sheet-profiles">
      <KeyProfile model={model} table={preview.from_table} columns={preview.from_columns} />
      <KeyProfile model={model} table={preview.to_table} columns={preview.to_columns} />
    </div>
  );
}

export function SheetMatches({ model, preview }: { model: ModelDocument; preview: LinkPreview }) {
  const keys = {
    left: { table: preview.from_table, columns: preview.from_columns },
    right: { table: preview.to_table, columns: preview.to_columns },
    amount: '',
  };
  const mismatch = useMismatch(model, keys);
  return (
    <>
      {mismatch.isFetching && !mismatch.data && <p className="wait">Comparing the keys…</p>}
      {mismatch.data && <KeysFound key={JSON.stringify(keys)} model={model} keys={keys} mismatch={mismatch.data} />}
    </>
  );
}

function KeyProfile({ model, table, columns }: { model: ModelDocument; table: string; columns: string[] }) {
  const profiles = useProfiles(model, table);
  return (
    <section aria-label={`Profile of ${table}`}>
      {columns.map((column) => {
        const p = profiles.data?.profiles.find((x) => x.column === column);
        return (
          <Fragment key={column}>
            <h3>
              {table}.{column}
            </h3>
            {!p && <p className="wait">Reading the column…</p>}
            {p && (
              <>
                <Histogram counts={p.histogram} width={220} height={30} />
                <p className="quiet">
                  {p.dtype}, {count(p.distinct)} distinct of {count(p.rows)}
                  {p.unique ? ': each row its own' : ''}
                  {p.empty ? `, ${count(p.empty)} empty` : ''}; {typedText(p.smallest, p.dtype)} to {typedText(p.largest, p.dtype)}
                </p>
              </>
            )}
          </Fragment>
        );
      })}
    </section>
  );
}
