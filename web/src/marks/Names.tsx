import { Children, Fragment, isValidElement, type ReactNode } from 'react';

/** Names in a line, a comma behind each but the last, which never begins a line. */
export function Names({ children }: { children: ReactNode }) {
  return Children.toArray(children).map((child) => (
    <Fragment key={isValidElement(child) ? child.key : String(child)}>
      <span className="one-of">{child}</span>{' '}
    </Fragment>
  ));
}
