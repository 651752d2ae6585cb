/** Our mark: a small lantern with a keyhole for its flame. */
export function Mark({ size = 28 }: { size?: number }) {
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 32 32"
      fill="none"
      stroke="var(--mui-palette-primary-main)"
      strokeWidth={2}
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden
    >
      <path d="M11 7.5a5 5 0 0 1 10 0" />
      <path d="M9 10h14" />
      <path d="M10.5 10 9 25h14l-1.5-15" />
      <path d="M8 28h16" />
      <circle cx="16" cy="16.5" r="2.2" fill="var(--mui-palette-primary-main)" stroke="none" />
      <path d="M16 18v4" strokeWidth={2.4} />
    </svg>
  );
}
