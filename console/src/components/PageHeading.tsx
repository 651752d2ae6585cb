import Typography, { type TypographyProps } from '@mui/material/Typography';
import { useEffect, useRef, type ReactNode } from 'react';
import { useLocation } from 'react-router';

const NAME = 'Key Lantern';

/** The path of the page whose heading was shown last. */
let lastPath: string | undefined;

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
  const { pathname } = useLocation();
  useEffect(() => {
    const named = title ?? heading.current?.textContent ?? '';
    document.title = named === '' ? NAME : `${named} – ${NAME}`;
  });
  useEffect(() => {
    // Not on the first page, and not away from a field that asked for the focus.
    const isNext = lastPath !== undefined && lastPath !== pathname;
    if (isNext && !(document.activeElement instanceof HTMLInputElement))
      heading.current?.focus({ preventScroll: true });
    lastPath = pathname;
  }, [pathname]);
  useEffect(
    () => () => {
      document.title = NAME;
    },
    [],
  );
  return (
    <Typography ref={heading} variant="h1" tabIndex={-1} {...props} sx={{ ...props.sx, outline: 'none' }}>
      {children}
    </Typography>
  );
}
