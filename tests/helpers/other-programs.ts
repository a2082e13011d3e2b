import { spawnSync } from "node:child_process";

/** Programs by which others write and read files; where they are not installed, that is said. */
export const PYTHON = ["/usr/bin/python3", "python3"].find((python) => spawnSync(python, ["-c", "import openpyxl"]).status === 0);
export const SOFFICE = ["soffice", "libreoffice"].find((office) => spawnSync(office, ["--version"]).status === 0);
if (!PYTHON) console.warn("NO OPENPYXL: workbooks are not opened with it.");
if (!SOFFICE) console.warn("NO LIBREOFFICE: workbooks are not opened with it.");

/** Runs Python code; `sys.argv[1:]` are the arguments. What it prints is given back. */
export function python(code: string, ...args: string[]): string {
  const ran = spawnSync(PYTHON!, ["-c", code, ...args], { encoding: "utf8" });
  if (ran.status !== 0) throw new Error(ran.stderr);
  return ran.stdout;
}

/** Has LibreOffice open a file and save it in a form, into a folder. */
export function resave(file: string, form: string, folder: string): void {
  const ran = spawnSync(
    SOFFICE!,
    ["--headless", `-env:UserInstallation=file://${folder}/profile`, "--convert-to", form, "--outdir", folder, file],
    { encoding: "utf8" },
  );
  if (ran.status !== 0) throw new Error(ran.stderr);
}
