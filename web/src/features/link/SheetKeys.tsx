// Both keys of a link: their profiles; and apart from these what matches, what does not, near matches with the step that would mend them.
import { Fragment } from 'react';
import type { LinkPreview, ModelDocument } from '../../api/client';
import { useProfiles } from '../../api/queries';
import { typedText, count } from '../../shared/format';
import { Histogram } from '../shape/Histogram';
import { KeysFound } from '../shape/KeysFound';
import { useMismatch } from '../shape/requests';

export function SheetProfiles({ model, told }: { model: ModelDocument; told: LinkPreview }) {
  return (
    <div className="sheet-profiles">
      <KeyProfile model={model} table={told.from_table} columns={told.from_columns} />
      <KeyProfile model={model} table={told.to_table} columns={told.to_columns} />
    </div>
  );
}

export function SheetMatches({ model, told }: { model: ModelDocument; told: LinkPreview }) {
  const keys = {
    left: { table: told.from_table, columns: told.from_columns },
    right: { table: told.to_table, columns: told.to_columns },
    amount: '',
  };
  const found = useMismatch(model, keys);
  return (
    <>
      {found.isFetching && !found.data && <p className="wait">Comparing the keys…</p>}
      {found.data && <KeysFound key={JSON.stringify(keys)} model={model} keys={keys} found={found.data} />}
    </>
  );
}

function KeyProfile({ model, table, columns }: { model: ModelDocument; table: string; columns: string[] }) {
  const profiles = useProfiles(model, table);
  return (
    <section aria-label={`Profile of ${table}`}>
      {columns.map((column) => {
        const p = profiles.data?.find((x) => x.column === column);
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
