/** Today only the time, else the date too; ISO, 24 hours. */
export function when(created: string): string {
  const at = new Date(created);
  const time = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = at.toLocaleDateString("sv-SE");
  return day === new Date().toLocaleDateString("sv-SE") ? time : `${day} ${time}`;
}
