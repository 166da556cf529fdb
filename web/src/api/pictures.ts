/** Where the small picture of a prop is to be had: from a corner, or its front filled by its box. `file`: the address of its model. */
export const pictureOf = (file: string, look: "corner" | "front"): string =>
  file.replace(/\.glb$/, `/${look}.png`);
