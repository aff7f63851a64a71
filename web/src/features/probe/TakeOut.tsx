// A grid taken out: as text, as a file, or as an address that any tool can fetch.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { GridAnswer, ModelDocument, Probe } from '../../api/client';
import { asProbe, sameProbe } from '../../app/shapes';
import { askedProbe } from './store';
import { asText } from './gridState';
import { useLines } from './GridTable';
import { showSql } from '../sql/store';

const FILES = [
  ['csv', 'CSV'],
  ['xlsx', 'XLSX'],
  ['parquet', 'Parquet'],
] as const;

function address(model: ModelDocument, probe: Probe, ending: string): string {
  return `/api/models/${model.id}/grid.${ending}?${new URLSearchParams({ probe: JSON.stringify(askedProbe(probe)) }).toString()}`;
}

export function TakeOut({
  model,
  probe,
  answer,
  onPaste,
  onHold,
}: {
  model: ModelDocument;
  probe: Probe;
  answer: GridAnswer;
  onPaste: () => void;
  /** Makes a check of all that is shown. */
  onHold: () => void;
}) {
  const [said, setSaid] = useState('');
  const look = probe.look ?? {};
  const { rows, across } = useLines(answer, look);
  const stored = model.probes.find((p) => p.name === probe.name);
  const asSaved = stored && sameProbe(askedProbe(asProbe(stored)), askedProbe(probe));
  const copy = (text: string, words: string) => {
    void navigator.clipboard.writeText(text).then(
      () => setSaid(words),
      () => setSaid('The browser keeps the clipboard to itself.'),
    );
    setTimeout(() => setSaid(''), 4000);
  };
  const full =
    window.location.origin +
    (asSaved ? `/api/models/${model.id}/probes/${encodeURIComponent(String(probe.name))}.csv` : address(model, probe, 'csv'));
  return (
    <>
      <Menu shadow="none" position="bottom-end">
        <Menu.Target>
          <button type="button" className="plain">
            <u>take out</u> ▾
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => copy(asText(answer, rows, across, look), 'copied as text')}>Copy as text</Menu.Item>
          {FILES.map(([ending, words]) => (
            <Menu.Item key={ending} component="a" href={address(model, probe, ending)} download>
              {words}
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item onClick={() => copy(full, 'address copied')}>Copy the address of its CSV</Menu.Item>
          <Menu.Divider />
          <Menu.Item onClick={() => showSql()}>Show it as SQL, and prove it in PostgreSQL</Menu.Item>
          <Menu.Item onClick={onPaste}>Hold a pasted table against it</Menu.Item>
          <Menu.Item onClick={onHold}>Make a check of this grid</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <span role="status" className="quiet">
        {said}
      </span>
    </>
  );
}
