package fact

// What is found, with its facts.
type (
	NoScene          struct{}
	SceneAddressPort struct{}
	SceneAddress     struct{}
	SceneType        struct{}
	SceneSaysZone    struct{}
	SceneDS          struct{}
	SceneRegistry    struct{}
	NotScene         struct{}
	SceneSaysDoor    struct{}
	SceneTLS         struct{}
	SceneCertificate struct{}
	SceneHost        struct{}
	SceneNoZones     struct{}
	SceneZoneUnread  struct{}
	SceneZoneName    struct{}
)
