/* SPDX-License-Identifier: MIT */
#include "browser.h"

#include <signal.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <curl/curl.h>

extern char **environ;

enum { TRIES = 200, TRY_US = 50000, URL_CHARS = 300, SCRIPT_MS = 120000 };

/* Of the whole test case: its processes inherit them. */
static int port;
static pid_t driver;
static char session[128];

/* ---- requests ---- */

static size_t take(char *bytes, size_t size, size_t count, void *text)
{
    rk_text_add_bytes(text, bytes, size * count);
    return size * count;
}

/* The reply to a request, or NULL; body NULL: a GET. */
static json_t *request(const char *method, const char *path, const char *body)
{
    CURL *curl = curl_easy_init();
    struct curl_slist *headers = curl_slist_append(NULL, "Content-Type: application/json");
    rk_text *reply = rk_text_create();
    json_t *made = NULL;
    char url[URL_CHARS];

    (void)snprintf(url, sizeof url, "http://127.0.0.1:%d%s", port, path);
    curl_easy_setopt(curl, CURLOPT_URL, url);
    curl_easy_setopt(curl, CURLOPT_NOPROXY, "*");
    curl_easy_setopt(curl, CURLOPT_CUSTOMREQUEST, method);
    curl_easy_setopt(curl, CURLOPT_HTTPHEADER, headers);
    if (body != NULL) {
        curl_easy_setopt(curl, CURLOPT_POSTFIELDS, body);
    }
    curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, take);
    curl_easy_setopt(curl, CURLOPT_WRITEDATA, reply);
    curl_easy_setopt(curl, CURLOPT_TIMEOUT, 130L);
    if (curl_easy_perform(curl) == CURLE_OK) {
        made = json_loadb(rk_text_chars(reply), rk_text_length(reply), 0, NULL);
    }
    curl_slist_free_all(headers);
    curl_easy_cleanup(curl);
    rk_text_free(reply);
    return made;
}

/* The value of a reply that is no error. */
static json_t *value_of(json_t *reply, const char *asked)
{
    json_t *value = json_object_get(reply, "value");
    const char *error = json_string_value(json_object_get(value, "message"));

    ck_assert_msg(reply != NULL, "%s: no answer", asked);
    ck_assert_msg(json_object_get(value, "error") == NULL, "%.200s: %.600s", asked,
                  error != NULL ? error : "?");
    json_incref(value);
    json_decref(reply);
    return value;
}

/* A command of the session, its parameters taken over. */
static json_t *command(const char *name, json_t *parameters)
{
    char path[URL_CHARS], *body = json_dumps(parameters, 0);
    json_t *reply;

    (void)snprintf(path, sizeof path, "/session/%s/%s", session, name);
    reply = request("POST", path, body);
    free(body);
    json_decref(parameters);
    return value_of(reply, name);
}

/* ---- beginning and end ---- */

static void start_driver(void)
{
    char at[32];
    char *argv[] = {(char *)(size_t) "chromedriver", at, (char *)(size_t) "--log-level=OFF",
                    NULL};
    posix_spawn_file_actions_t silent;
    int tries;

    port = free_port();
    (void)snprintf(at, sizeof at, "--port=%d", port);
    posix_spawn_file_actions_init(&silent);
    posix_spawn_file_actions_addopen(&silent, STDOUT_FILENO, "/dev/null", 1, 0);
    ck_assert_msg(posix_spawnp(&driver, argv[0], &silent, NULL, argv, environ) == 0,
                  "chromedriver is not installed: make test installs it");
    posix_spawn_file_actions_destroy(&silent);
    for (tries = 0; tries < TRIES; tries++) {
        json_t *reply = request("GET", "/status", NULL);

        json_decref(reply);
        if (reply != NULL) return;
        (void)usleep(TRY_US);
    }
    ck_abort_msg("chromedriver does not answer");
}

void browser_start(void)
{
    json_t *parameters, *value;
    char *body;

    start_driver();
    /* It asks nobody for anything, and keeps what it complains of and what a page asks for. */
    parameters = json_pack("{s:{s:{s:{s:[s,s,s,s,s,s,s,s,s]},s:{s:s,s:s}}}}", "capabilities",
                           "alwaysMatch", "goog:chromeOptions", "args", "--headless",
                           "--no-sandbox", "--disable-gpu", "--no-first-run",
                           "--disable-background-networking", "--disable-component-update",
                           "--disable-sync", "--disable-quic", "--disable-dev-shm-usage",
                           "goog:loggingPrefs", "browser", "ALL", "performance", "ALL");
    body = json_dumps(parameters, 0);
    value = value_of(request("POST", "/session", body), "a session");
    (void)snprintf(session, sizeof session, "%s",
                   json_string_value(json_object_get(value, "sessionId")));
    json_decref(value);
    json_decref(parameters);
    free(body);
    json_decref(command("timeouts", json_pack("{s:i}", "script", SCRIPT_MS)));
    browser_window(1280, 800);
}

void browser_stop(void)
{
    char path[URL_CHARS];

    (void)snprintf(path, sizeof path, "/session/%s", session);
    json_decref(request("DELETE", path, NULL));
    (void)kill(driver, SIGTERM);
    (void)waitpid(driver, NULL, 0);
}

/* ---- pages ---- */

void browser_open(const char *path, bool workbench)
{
    char url[URL_CHARS];
    int tries;

    (void)snprintf(url, sizeof url, "file://%s", path);
    json_decref(command("url", json_pack("{s:s}", "url", url)));
    for (tries = 0; tries < TRIES && workbench; tries++) {
        char *state =
            browser_text("return document.getElementById('workbench').dataset.state || ''");
        const bool open = strcmp(state, "open") == 0, failed = strcmp(state, "failed") == 0;

        free(state);
        if (failed) {
            ck_abort_msg("the workbench does not open: %s",
                         browser_text("return document.getElementById('said').textContent"));
        }
        if (open) return;
        (void)usleep(TRY_US);
    }
    ck_assert_msg(!workbench, "the workbench does not open");
}

json_t *browser_run(const char *script, json_t *arguments)
{
    return command("execute/sync", json_pack("{s:s,s:o}", "script", script, "args",
                                             arguments != NULL ? arguments : json_array()));
}

json_t *browser_wait(const char *script)
{
    return browser_run(script, NULL); /* a promise is waited for */
}

double browser_number(const char *script)
{
    json_t *value = browser_run(script, NULL);
    const double made = json_is_number(value) ? json_number_value(value) : QNAN;

    json_decref(value);
    return made;
}

char *browser_text(const char *script)
{
    json_t *value = browser_run(script, NULL);
    char *made = strdup(json_is_string(value) ? json_string_value(value) : "");

    json_decref(value);
    return made;
}

/* An element's reference as a path of its commands. */
static void element(const char *selector, const char *what, char path[URL_CHARS])
{
    json_t *value =
        command("element", json_pack("{s:s,s:s}", "using", "css selector", "value", selector));
    const char *key;
    json_t *id;

    json_object_foreach(value, key, id)
    {
        (void)snprintf(path, URL_CHARS, "element/%s/%s", json_string_value(id), what);
    }
    json_decref(value);
}

void browser_type(const char *selector, const char *keys)
{
    char path[URL_CHARS];

    element(selector, "value", path);
    json_decref(command(path, json_pack("{s:s}", "text", keys)));
}

void browser_click(const char *selector)
{
    char path[URL_CHARS];

    element(selector, "click", path);
    json_decref(command(path, json_object()));
}

void browser_window(int width, int height)
{
    json_decref(
        command("goog/cdp/execute",
                json_pack("{s:s,s:{s:i,s:i,s:i,s:b}}", "cmd",
                          "Emulation.setDeviceMetricsOverride", "params", "width", width,
                          "height", height, "deviceScaleFactor", 1, "mobile", 0)));
}

void browser_dark(bool dark)
{
    json_decref(command("goog/cdp/execute",
                        json_pack("{s:s,s:{s:[{s:s,s:s}]}}", "cmd",
                                  "Emulation.setEmulatedMedia", "params", "features", "name",
                                  "prefers-color-scheme", "value", dark ? "dark" : "light")));
}

/* Of a log's lines those with any of these words; all lines for none. */
static void add_log(rk_text *text, const char *type, const char *words)
{
    json_t *lines = command("se/log", json_pack("{s:s}", "type", type)), *line;
    size_t i;

    json_array_foreach(lines, i, line)
    {
        const char *message = json_string_value(json_object_get(line, "message"));

        if (words == NULL) {
            rk_text_add(text, "%s\n", message);
        } else if (strstr(message, words) != NULL) {
            const char *url = strstr(message, "\"url\":\"");

            /* The page itself and the pictures within it are asked of nobody. */
            if (url != NULL && strncmp(url + 7, "file:", 5) != 0 &&
                strncmp(url + 7, "data:", 5) != 0 && strncmp(url + 7, "blob:", 5) != 0) {
                rk_text_add(text, "asks for %.120s\n", url + 7);
            }
        }
    }
    json_decref(lines);
}

char *browser_complaints(void)
{
    rk_text *text = rk_text_create();
    char *made;

    add_log(text, "browser", NULL);
    add_log(text, "performance", "\"Network.requestWillBeSent\"");
    made = strdup(rk_text_chars(text));
    rk_text_free(text);
    return made;
}

char *browser_print(void)
{
    json_t *value = command("print", json_pack("{s:{s:f,s:f},s:b}", "page", "width", 21.0,
                                               "height", 29.7, "background", 0));
    char *made = strdup(json_string_value(value));

    json_decref(value);
    return made;
}

char *browser_shot(void)
{
    char path[URL_CHARS];
    json_t *value;
    char *made;

    (void)snprintf(path, sizeof path, "/session/%s/screenshot", session);
    value = value_of(request("GET", path, NULL), "a screenshot");
    made = strdup(json_string_value(value));
    json_decref(value);
    return made;
}
