#define CATCH_CONFIG_MAIN
#include "framework.hpp"
