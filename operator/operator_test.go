package operator_test

import (
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/operator"
)

// Each role may do what the one below it may, and more; only managers change members
// of their own groups.
func TestRolesGrow(t *testing.T) {
	for i, role := range operator.Roles[1:] {
		assert.Subset(t, role.Rights(), operator.Roles[i].Rights())
		assert.Greater(t, len(role.Rights()), len(operator.Roles[i].Rights()))
		assert.False(t, role.Has(operator.Members))
	}
	assert.Equal(t, []operator.Right{operator.Members}, operator.Manager.Rights())
	assert.EqualError(
		t,
		operator.Actor{Name: "lio", Role: operator.Editor}.May(operator.Commit),
		"lio is an editor, and only approvers and admins may commit",
	)
	assert.Error(t, operator.Actor{}.May(operator.Read), "nobody may nothing")
	_, err := operator.ParseRole("manager")
	assert.ErrorContains(t, err, "there are viewer, editor, approver and admin")
	a := operator.Actor{Systems: []string{"archive"}}
	assert.True(t, a.Sees("Archive") && !a.Sees("core-net") && operator.Actor{}.Sees("core-net"))
}

func TestNewPasswords(t *testing.T) {
	for password, why := range map[string]string{
		"too short": "at least 12 characters; this one has 9", "1234567890123": "most common", "football2026!": "most common", "!!Sunshine!!": "most common",
		"tigertigertiger1": "", "dragondragon": "most common", "edda.marsh-2026": "contains the name", "the MARSHES of old": "contains the name",
		"eleven domes in a row": "", "пароль для купола": "",
	} {
		err := operator.NewPassword(password, "edda.marsh")
		if why == "" {
			assert.NoError(t, err, password)
		} else {
			assert.ErrorContains(t, err, why, password)
		}
	}
}

func TestPasswords(t *testing.T) {
	hash, other := operator.HashPassword("eleven domes in a row"), operator.HashPassword("eleven domes in a row")
	assert.NotEqual(t, hash, other, "each has a salt of its own")
	assert.True(t, strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=2$"), hash)
	assert.True(t, operator.CheckPassword(hash, "eleven domes in a row"))
	for _, wrong := range []string{"", "eleven domes in a roW", "eleven domes in a row "} {
		assert.False(t, operator.CheckPassword(hash, wrong))
		assert.False(t, operator.CheckPassword("", wrong), "who has no password is not let in")
	}
	for _, broken := range []string{"x", "$argon2id$v=19$m=65536,t=0,p=2$AAAA$AAAA", "$argon2id$v=19$m=8,t=1,p=1$AAAA$", "$argon2i$v=19$m=8,t=1,p=1$AAAA$AAAA"} {
		assert.False(t, operator.CheckPassword(broken, ""), broken)
	}
}

func TestCodesOfTheSecondFactor(t *testing.T) {
	secret, address, err := operator.NewTOTP("edda")
	require.NoError(t, err)
	assert.Contains(t, address, "otpauth://totp/Gate%20Map:edda?")
	now := time.Date(2026, 11, 23, 22, 0, 10, 0, time.UTC)
	at := func(d time.Duration) string {
		code, err := totp.GenerateCode(secret, now.Add(d))
		require.NoError(t, err)
		return code
	}
	first, ok := operator.CheckTOTP(secret, at(0), now)
	assert.True(t, ok)
	for _, d := range []time.Duration{-30 * time.Second, 30 * time.Second} {
		n, ok := operator.CheckTOTP(secret, at(d), now)
		assert.True(t, ok, "a clock may go wrong by one period")
		assert.Equal(t, first+int64(d/(30*time.Second)), n)
	}
	for _, wrong := range []string{at(-5 * time.Minute), at(time.Hour), "", "000000x"} {
		_, ok := operator.CheckTOTP(secret, wrong, now)
		assert.False(t, ok)
	}
}
