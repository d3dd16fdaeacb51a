package world_test

import _ "upperpath.example/upperpath/internal/words" // tests read what is said
