"""Headers and cookies. Nothing inline, nothing from elsewhere."""

from csp.constants import NONE, SELF

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
        "manifest-src": [SELF],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 14

# guesses at a log-in: counted in the database for one account from one address, see workbench/accounts/guesses.py
AXES_FAILURE_LIMIT = 5
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_COOLOFF_TIME = "workbench.accounts.guesses.cool_off"
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_TEMPLATE = "accounts/locked.html"
AXES_HTTP_RESPONSE_CODE = 429
AXES_ENABLE_ACCESS_FAILURE_LOG = False
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False

# accounts: made by an invitation only; a second factor by app or key, passkeys, log-ins seen and ended; see docs/decisions/0039-accounts.md
ACCOUNT_ADAPTER = "workbench.accounts.adapter.Adapter"
ACCOUNT_LOGIN_METHODS = {"email", "username"}
ACCOUNT_SIGNUP_FIELDS = ["email*", "username*", "password1*"]
ACCOUNT_EMAIL_VERIFICATION = "none"
ACCOUNT_EMAIL_SUBJECT_PREFIX = ""
ACCOUNT_EMAIL_UNKNOWN_ACCOUNTS = False
ACCOUNT_EMAIL_NOTIFICATIONS = True
ACCOUNT_SESSION_REMEMBER = True
ACCOUNT_LOGOUT_REDIRECT_URL = "login"
#: of one account from one address the guesses are counted above; here only an address that tries many names
ACCOUNT_RATE_LIMITS = {"login_failed": "60/m/ip"}
ALLAUTH_TRUSTED_PROXY_COUNT = 0  # REMOTE_ADDR is put right before, see workbench/middleware.py
MFA_SUPPORTED_TYPES = ["totp", "webauthn", "recovery_codes"]
MFA_PASSKEY_LOGIN_ENABLED = True
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = True
MFA_RECOVERY_CODES_SHOW_ONCE = True
MFA_ALLOW_UNVERIFIED_EMAIL = True
MFA_TOTP_ISSUER = "Vivid Cairn"
