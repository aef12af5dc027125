/** Lines for a pipeline's shell (POSIX). */

export interface About {
  server: string;
  project: { id: string; name: string };
  suite: { id: string; folder: string };
  environment: string;
}

/** A word of a shell, whatever it holds. */
export const word = (text: string): string =>
  /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;

/** One call that starts the suite, waits for its end and writes JUnit; its status says whether all passed. `$BUILD` is the pipeline's. */
export function curlLines({ server, project, suite, environment }: About): string {
  const body = {
    project: project.id,
    suite: suite.id,
    ...(environment && { environment }),
    wait: 3600,
    build: "BUILD",
  };
  const [begin, end] = JSON.stringify(body).split('"BUILD"') as [string, string];
  return [
    `curl -sS -L --max-redirs -1 --fail-with-body -o junit.xml \\`,
    `  -H "Authorization: Bearer $SALTPATH_KEY" \\`,
    `  -H 'Content-Type: application/json' -H 'Accept: application/xml' \\`,
    `  -d ${quoted(begin)}"\\"$BUILD\\""${quoted(end)} \\`,
    `  ${word(`${server}/api/v1/runs?status=verdict`)}`,
  ].join("\n");
}

/** The same by our command, which tells the cases as they end. */
export function saltpathLines({ server, project, suite, environment }: About): string {
  const env = environment ? ` --env ${word(environment)}` : "";
  return [
    `saltpath run --server ${word(server)} --project ${word(project.name)}${env} \\`,
    `  --label "$BUILD" --junit junit.xml ${word(suite.folder || ".")}`,
  ].join("\n");
}

const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;
