/** Keeping something under a name that may be taken: nothing is overwritten unasked. */
import { ElMessageBox } from "element-plus";
import { ApiError } from "../api/client";

/** Keep; where the name is taken, ask whether to replace what has it. False where it was left as it is. */
export async function keepUnderName(keep: (replace: boolean) => Promise<unknown>, sure = false): Promise<boolean> {
  try {
    await keep(sure);
    return true;
  } catch (error) {
    if (!(error instanceof ApiError && error.code === "taken")) throw error;
    const yes = await ElMessageBox.confirm(error.message, "The name is taken", {
      confirmButtonText: "Replace it",
      cancelButtonText: "Leave it",
      autofocus: false, // the Enter that ended the name, held a little long, must not replace anything
    }).then(
      () => true,
      () => false,
    );
    if (yes) await keep(true);
    return yes;
  }
}
