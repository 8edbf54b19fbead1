import { config } from "@vue/test-utils";
import { hint } from "./controls/hint";

config.global.directives = { hint };
