module gatemap

go 1.26.8

require (
	github.com/go-asn1-ber/asn1-ber v1.5.8
	github.com/go-ldap/ldap/v3 v3.4.15
	github.com/spf13/cobra v1.10.2
	go.yaml.in/yaml/v3 v3.0.6
	golang.org/x/term v0.47.0
)

require (
	github.com/Azure/go-ntlmssp v0.1.1 // indirect
	github.com/google/uuid v1.6.0 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
	github.com/stretchr/testify v1.12.1 // indirect
	golang.org/x/crypto v0.54.0 // indirect
	golang.org/x/sys v0.49.0 // indirect
)
