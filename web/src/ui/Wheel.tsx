/** The mark of Trochos: a wheel. */
export function Wheel({ className }: { className?: string }) {
  return (
    <svg viewBox="0 0 32 32" className={className} aria-hidden="true" fill="none" stroke="currentColor" strokeWidth="2.6">
      <circle cx="16" cy="16" r="12.5" />
      <circle cx="16" cy="16" r="3.2" fill="currentColor" />
      <path d="M16 3.5v25M5.2 9.8l21.6 12.4M5.2 22.2 26.8 9.8" />
    </svg>
  );
}
