// The page of recipes: those of the scene, and the shelf.

import { offerKeeping } from "lazzik/shelf/shelf.js";

offerKeeping();
