"""The made-up office: names, places and phrases from which the devices' content is drawn."""

FIRST = (
    "Ada", "Bram", "Carys", "Dorian", "Elke", "Fenna", "Goran", "Hedda", "Ivo", "Jorun", "Kasimir", "Linnea", "Marit", "Nils",
    "Oona", "Piet", "Quirin", "Rosalie", "Sunniva", "Tamsin", "Ulla", "Veit", "Wenke", "Xenia", "Yorick", "Zoë",
)  # fmt: skip
LAST = (
    "Abadi", "Brandt", "Castellan", "Dufour", "Eskildsen", "Farrow", "Grimsby", "Holm", "Ito", "Jansen", "Kestrel", "Lindqvist",
    "Moreau", "Nygaard", "Okafor", "Pellow", "Quist", "Reedham", "Sandvik", "Thorne", "Ulven", "Varga", "Wick", "Ypma", "Zeller",
)  # fmt: skip
ORGANISATIONS = ("Tidewick Harbour Office", "Fenland Drainage Board", "Greyling Quarries", "Parish of Low Marsh", "Holm Ferries", "")
TOWNS = ("Tidewick", "Low Marsh", "Greyling", "Holm Sands", "Cutter's Reach", "Fenby")
PLACES = ("Seawall North", "Groyne 14", "Saltpan Lane", "Quarry Edge", "Old Sluice", "Dune Ridge", "Drawing room", "Office")
VISITS = (
    "Benchmark check", "Tide gauge reading", "Shoreline walk", "Boundary survey", "Sluice inspection", "Client meeting",
    "Plot review",
)  # fmt: skip
PHRASES = (
    "Low water at six, bring the long staff.", "The gauge at the sluice has stopped again.", "Can you send me the plan of plot 12?",
    "Battery is flat, back by noon.", "Two markers are gone since the storm.", "Photos are in, forty of them.", "Lunch at the ferry?",
    "The quarry wants the levels by Friday.", "Wind is too strong for the drone today.", "I have put the keys in the safe.",
    "Is the boat booked for Thursday?", "Checked twice, the offset is three centimetres.", "Thanks, that fits.",
)  # fmt: skip
APPS = ("Levelbook", "Tideglass", "Plotter", "Fieldnotes", "Compass Rose", "Boatlog", "Sketchbook")
NETWORKS = ("Saltmarsh Office", "Quayside Guest", "Ferry Deck", "Field Camp")
SETTINGS = ("language", "brightness", "ring tone", "time zone", "text size", "screen lock after", "units")
