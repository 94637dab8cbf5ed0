/** The views that are loaded when somebody opens them, or is about to. */
export const later = {
  account: () => import("./account/AccountPage").then((page) => ({ default: page.AccountPage })),
  administration: () => import("./administration/AdministrationPage").then((page) => ({ default: page.AdministrationPage })),
  expectations: () => import("./before/ExpectationsPage").then((page) => ({ default: page.ExpectationsPage })),
  sweep: () => import("./before/SweepPage").then((page) => ({ default: page.SweepPage })),
  report: () => import("./case/ReportPage").then((page) => ({ default: page.ReportPage })),
  change: () => import("./change/ChangePage").then((page) => ({ default: page.ChangePage })),
  gather: () => import("./gather/GatherPage").then((page) => ({ default: page.GatherPage })),
  map: () => import("./map/MapPage").then((page) => ({ default: page.MapPage })),
  manual: () => import("./manual/ManualPage").then((page) => ({ default: page.ManualPage })),
  neighbours: () => import("./neighbours/NeighboursPage").then((page) => ({ default: page.NeighboursPage })),
  compare: () => import("./surveys/ComparePage").then((page) => ({ default: page.ComparePage })),
};
