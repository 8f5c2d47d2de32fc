# Writes text files into one C++ source as arrays of characters:
# cmake -DOUT=… -DHEADER=room/parts.h -DNAMESPACE=avrenk::parts -DNAMES=a;b -DFILES=x;y -P embed.cmake
set(body "#include \"${HEADER}\"\n\nnamespace ${NAMESPACE} {\n\n")
foreach(name file IN ZIP_LISTS NAMES FILES)
  file(READ ${file} bytes HEX)
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
  string(APPEND body "namespace {\nconst unsigned char ${name}_bytes[] = {${bytes}0};\n}\n"
         "const char* const ${name} = reinterpret_cast<const char*>(${name}_bytes);\n\n")
endforeach()
string(APPEND body "}  // namespace ${NAMESPACE}\n")
file(WRITE ${OUT} "${body}")
