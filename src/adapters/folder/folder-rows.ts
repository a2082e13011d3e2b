import { createHash } from "node:crypto";
import { stat } from "node:fs/promises";
import path from "node:path";
import { glob } from "tinyglobby";
import { defangCopied, YoroshiError, type MadeRows, type Row, type SourceProblem } from "../../core/index.js";

/** What stands in an e-mail, with the places of what is attached to it. */
export interface Mail {
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  readonly sent: string;
  readonly text: string;
  readonly attachments: readonly string[];
}

export interface FolderOptions {
  /** The project's folder, to which all paths are relative. */
  readonly root: string;
  /** The folder by its path as the plan has it, and where that leads. */
  readonly folder: string;
  readonly place: string;
  readonly files: string;
  /** Reads an e-mail; what is attached is put where it can be read by path. */
  readonly readMail: (file: string) => Promise<Mail | SourceProblem>;
}

const CHUNK_FILES = 100;
const MAIL_COLUMNS = ["from", "to", "subject", "sent", "text"] as const;

interface Listed {
  /** Relative to the project, with `/` on every system. */
  readonly file: string;
  readonly place: string;
  readonly bytes: number;
  readonly modifiedMs: number;
}

/**
 * A row for each file of a folder, in the order of their paths: its path as the key, its name, folder, size, ending and day; of e-mails
 * also who wrote what to whom and when, and what is attached, a path on each line.
 *
 * @throws YoroshiError `tableBroken` where there is no such folder.
 */
export function folderRows({ folder, place, files, readMail }: FolderOptions): MadeRows {
  const isOfMails = /\.eml\b|\{[^}]*\beml\b/i.test(files);
  /** E-mails as they were when they were read. */
  const mails = new Map<string, { readonly mark: string; readonly mail: Promise<Mail | SourceProblem> }>();

  const list = async (): Promise<Listed[]> => {
    const isFolder = await stat(place).then(
      (found) => found.isDirectory(),
      () => false,
    );
    if (!isFolder) throw new YoroshiError("tableBroken", { table: folder, place: "table", problem: `there is no folder \`${folder}\`.` });
    const found = await glob(files, { cwd: place, dot: false, followSymbolicLinks: false, onlyFiles: true, caseSensitiveMatch: false });
    const listed: Listed[] = [];
    for (const name of found.filter((one) => !/(^|\/)(~\$|\.~lock)/.test(one)).sort(byPath)) {
      const own = path.join(place, name);
      // One that went away meanwhile is no row any more.
      const now = await stat(own).catch(() => undefined);
      if (now?.isFile()) listed.push({ file: `${folder}/${name}`, place: own, bytes: now.size, modifiedMs: now.mtimeMs });
    }
    return listed;
  };

  const mailOf = ({ place: own, bytes, modifiedMs }: Listed): Promise<Mail | SourceProblem> => {
    const mark = `${bytes} ${modifiedMs}`;
    const before = mails.get(own);
    if (before?.mark === mark) return before.mail;
    const mail = readMail(own);
    mails.set(own, { mark, mail });
    return mail;
  };

  const rowOf = async (listed: Listed): Promise<Row> => {
    const { file, bytes, modifiedMs } = listed;
    const values: Record<string, string> = {
      file,
      name: path.posix.basename(file),
      folder: path.posix.dirname(file),
      bytes: String(bytes),
      type: path.posix.extname(file).slice(1).toLowerCase(),
      modified: new Date(modifiedMs).toISOString().replace(/\.\d+Z$/, "Z"),
    };
    if (isOfMails && values["type"] === "eml") {
      const mail = await mailOf(listed);
      if ("problem" in mail) return { key: file, place: file, values, problem: `this e-mail ${mail.problem}` };
      for (const column of MAIL_COLUMNS) values[column] = mail[column];
      values["attachments"] = mail.attachments.join("\n");
    }
    return { key: file, place: file, values: Object.fromEntries(Object.entries(values).map(([name, text]) => [name, defangCopied(text)])) };
  };

  return {
    name: `${folder}/${files}`,
    columns: [
      ...["name", "folder"].map((name) => ({ name, type: "text" as const, freeText: false })),
      { name: "bytes", type: "integer" as const, freeText: false },
      { name: "type", type: "text" as const, freeText: false },
      { name: "modified", type: "text" as const, freeText: false },
      ...(isOfMails
        ? [
            ...MAIL_COLUMNS.map((name) => ({ name, type: "text" as const, freeText: false })),
            { name: "attachments", type: "text" as const, freeText: false, holds: "list" as const },
          ]
        : []),
    ],
    async *rows() {
      const listed = await list();
      for (let from = 0; from < listed.length; from += CHUNK_FILES) {
        const some = listed.slice(from, from + CHUNK_FILES);
        yield { rows: await Promise.all(some.map(rowOf)), share: (from + some.length) / listed.length };
      }
    },
    mark: async () => {
      const hash = createHash("sha256");
      for (const { file, bytes, modifiedMs } of await list()) hash.update(`${file} ${bytes} ${modifiedMs}\n`);
      return hash.digest("hex");
    },
  };
}

const byPath = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
