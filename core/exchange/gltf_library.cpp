// The one place where tinygltf is compiled.
#define TINYGLTF_IMPLEMENTATION
#include "core/exchange/gltf.h"
