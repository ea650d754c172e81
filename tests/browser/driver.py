"""Headless Chromium at exactly 1280 × 800, driven as a person would."""

import os
import tempfile
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

SIZE = (1280, 800)
FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-dev-shm-usage", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--force-color-profile=srgb",
    # No fade is waited for, and none is composed without a graphics card.
    "--force-prefers-reduced-motion",
    # Every test opens a page anew: it need not have a process of its own each time.
    "--renderer-process-limit=1", "--disable-site-isolation-trials",
    "--disable-features=IsolateOrigins,site-per-process",
    "--disable-extensions", "--disable-component-extensions-with-background-pages", "--disable-default-apps",
)  # fmt: skip


def chromium(downloads: Path | None = None) -> webdriver.Chrome:
    """A browser of our own with an empty profile."""
    os.environ["SE_OFFLINE"] = "true"
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in FLAGS:
        options.add_argument(flag)
    options.add_argument(f"--user-data-dir={tempfile.mkdtemp(prefix='np-chromium-')}")
    options.add_argument(f"--window-size={SIZE[0]},{SIZE[1]}")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    if downloads:
        options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    driver = webdriver.Chrome(options, Service("/usr/bin/chromedriver"))
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": SIZE[0], "height": SIZE[1], "deviceScaleFactor": 1, "mobile": False},
    )
    return driver
