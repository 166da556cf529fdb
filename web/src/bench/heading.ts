export const HEADING = "mt-5 mb-1 text-[15px] font-semibold";
