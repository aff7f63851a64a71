// Who is a member of a model, in which role and with which clearance; and whom it was opened to.
import { useState } from 'react';
import type { ModelDocument, People } from '../../api/client';
import { whenText } from '../../shared/format';
import { ToldOnce } from './PeopleDialog';
import { INVITATION } from './invitation';
import { invite, putMember, removeMember, useAsked, usePeople, withdraw } from './requests';

export function Members({ model }: { model: ModelDocument }) {
  const people = usePeople(model);
  const change = useAsked(putMember(model), ['people']);
  const remove = useAsked(removeMember(model), ['people']);
  const end = useAsked(withdraw(model), ['people']);
  if (!people.data) return <p className="pad wait">{people.error?.message ?? 'Looking…'}</p>;
  const { members, invitations, tokens } = people.data;
  return (
    <div className="people-part">
      <Invite model={model} people={people.data} />
      <table className="people-list">
        <thead>
          <tr>
            <th>Who</th>
            <th>Role</th>
            <th>Sees</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {members.map((m) => (
            <tr key={m.id}>
              <td>
                <b>{m.name}</b> <span className="quiet">{m.email}</span>
              </td>
              <td>
                <RoleField
                  people={people.data}
                  role={m.role}
                  label={`Role of ${m.name}`}
                  change={(role) => change.mutate({ person: m.id, role, clearance: cleared(people.data, role) ? m.clearance : '' })}
                />
              </td>
              <td>
                <ClearanceField
                  people={people.data}
                  role={m.role}
                  clearance={m.clearance}
                  label={`Rows that ${m.name} sees`}
                  change={(clearance) => change.mutate({ person: m.id, role: m.role, clearance })}
                />
              </td>
              <td>
                <button type="button" className="plain" aria-label={`Remove ${m.name}`} onClick={() => remove.mutate(m.id)}>
                  Remove
                </button>
              </td>
            </tr>
          ))}
          {invitations.map((i) => (
            <tr key={i.digest}>
              <td>
                {i.email} <span className="quiet">invited, until {whenText(i.ends_at)}</span>
              </td>
              <td>{i.role}</td>
              <td>{i.clearance || 'all rows'}</td>
              <td>
                <button
                  type="button"
                  className="plain"
                  aria-label={`Withdraw the invitation of ${i.email}`}
                  onClick={() => end.mutate(i.digest)}
                >
                  Withdraw
                </button>
              </td>
            </tr>
          ))}
          {tokens.map((t) => (
            <tr key={t.digest}>
              <td>
                the program <b>{t.name}</b> <span className="quiet">by a token of {t.person}</span>
              </td>
              <td>{t.release ? `reads release ${t.release}` : 'reads'}</td>
              <td className="quiet">{t.last_at ? `last used ${whenText(t.last_at)}` : 'not used yet'}</td>
              <td>
                <button type="button" className="plain" aria-label={`End the token ${t.name}`} onClick={() => end.mutate(t.digest)}>
                  End
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <dl className="quiet">
        {people.data.roles.map((r) => (
          <div key={r.name}>
            <b>{r.name}</b>: may {r.may.join('; ')}
          </div>
        ))}
      </dl>
    </div>
  );
}

const cleared = (people: People, role: string) => people.roles.find((r) => r.name === role)?.cleared ?? false;

/** An invitation that leads to what is on screen: a folio, a probe, a release. */
function leadingHere(invitation: string): string {
  const here = new URL(window.location.href);
  here.searchParams.set(INVITATION, new URL(invitation).searchParams.get(INVITATION) ?? '');
  return here.href;
}

function Invite({ model, people }: { model: ModelDocument; people: People }) {
  const [email, setEmail] = useState('');
  const [role, setRole] = useState('reader');
  const [clearance, setClearance] = useState('');
  const ask = useAsked(invite(model), ['people']);
  return (
    <>
      <form
        className="people-form"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate({ email, role, clearance: cleared(people, role) ? clearance : '' });
        }}
      >
        <label>
          E-mail address
          <input className="field" type="email" required value={email} onChange={(e) => setEmail(e.target.value)} />
        </label>
        <div>
          Role
          <RoleField people={people} role={role} label="Role" change={setRole} />
        </div>
        <div>
          Sees
          <ClearanceField people={people} role={role} clearance={clearance} label="Rows that they see" change={setClearance} />
        </div>
        <button type="submit" className="pill solid small" disabled={ask.isPending}>
          Invite
        </button>
      </form>
      {ask.data && <ToldOnce what="Send them this address, which leads to what you see now" text={leadingHere(ask.data)} />}
    </>
  );
}

interface RoleGiven {
  people: People;
  role: string;
  label: string;
  change: (role: string) => void;
}

function RoleField({ people, role, label, change }: RoleGiven) {
  return (
    <select className="field" aria-label={label} value={role} onChange={(e) => change(e.target.value)}>
      {people.roles.map((r) => (
        <option key={r.name} value={r.name}>
          {r.name}
        </option>
      ))}
    </select>
  );
}

function ClearanceField({ people, role, clearance, label, change }: RoleGiven & { clearance: string }) {
  if (!cleared(people, role)) return <span className="quiet">all rows</span>;
  const known = clearance === '' || people.clearances.includes(clearance);
  return (
    <select className="field" aria-label={label} value={clearance} onChange={(e) => change(e.target.value)}>
      <option value="">all rows</option>
      {!known && <option value={clearance}>{clearance} (gone: nothing is shown)</option>}
      {people.clearances.map((c) => (
        <option key={c} value={c}>
          {c}
        </option>
      ))}
    </select>
  );
}
