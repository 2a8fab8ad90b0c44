import { NavLink } from "react-router";
import { STOPS } from "./stops";

/** The way through the work: a line with its stops, the present one filled. */
export function StopRail({ showId }: { showId: number }) {
  return (
    <nav aria-label="Stops" className="relative border-r border-hair bg-sunk pt-3">
      <div aria-hidden className="absolute top-7 bottom-auto left-[18px] h-[280px] w-px bg-hair" />
      <ol className="flex flex-col">
        {STOPS.map((stop) => (
          <li key={stop.path}>
            <NavLink
              to={`/shows/${showId}/${stop.path}`}
              title={stop.does}
              className={({ isActive }) =>
                `relative flex h-14 items-center gap-2 pl-[12px] ${isActive ? "font-semibold text-patina" : "text-ink hover:text-patina"}`
              }
            >
              {({ isActive }) => (
                <>
                  <span
                    aria-hidden
                    className={`z-10 size-[13px] rotate-45 border ${isActive ? "border-patina bg-patina" : "border-soft bg-sunk"}`}
                  />
                  {stop.name}
                </>
              )}
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}
