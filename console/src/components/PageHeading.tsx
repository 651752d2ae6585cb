import Typography, { type TypographyProps } from '@mui/material/Typography';
import { useEffect, useRef, type ReactNode } from 'react';
import { useLocation } from 'react-router';

const NAME = 'Key Lantern';

/**
 * The heading of a page. It names the page in the browser too, and has the focus after a link
 * was followed, so that who does not see the page hears where it led.
 */
export function PageHeading({
  title,
  children,
  ...props
}: {
  /** What the browser calls the page, if it is not what the heading says. */
  title?: string;
  children: ReactNode;
} & Omit<TypographyProps<'h1'>, 'variant' | 'title'>) {
  const heading = useRef<HTMLHeadingElement>(null);
  const { key } = useLocation();
  const came = useRef(key !== 'default');
  useEffect(() => {
    const named = title ?? heading.current?.textContent ?? '';
    document.title = named === '' ? NAME : `${named} – ${NAME}`;
  });
  useEffect(() => {
    const active = document.activeElement;
    // Not on the first page, and not away from a field that asked for the focus.
    if (came.current && !(active instanceof HTMLInputElement))
      heading.current?.focus({ preventScroll: true });
    came.current = false;
    return () => {
      document.title = NAME;
    };
  }, []);
  return (
    <Typography ref={heading} variant="h1" tabIndex={-1} {...props} sx={{ ...props.sx, outline: 'none' }}>
      {children}
    </Typography>
  );
}
